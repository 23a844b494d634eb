import type { Knex } from 'knex';
import * as v from 'valibot';
import { eveningLetter, newsLetter, type DueSite, type SiteNews, type Written } from '../../../core/watch';
import { done, type Act } from '../act';
import { database, runAs } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { log } from '../log';
import { post } from '../mail';
import { currentSettings, publicUrl } from '../settings';

/** Which letters somebody wants of sites. */
export interface LetterWishes {
	/** From which hour on, in a site's own time, they are told of what is due the next day; null: not at all. */
	readonly evening: number | null;
	readonly whenStuck: boolean;
	readonly whenThrough: boolean;
	/** An alert began. */
	readonly whenAlert: boolean;
}

export const letterWishesOf = async (personId: string): Promise<LetterWishes> =>
	(await database()('letter_wish')
		.where({ person_id: personId })
		.first<LetterWishes>(
			'evening_hour as evening',
			'when_stuck as whenStuck',
			'when_through as whenThrough',
			'when_alert as whenAlert'
		)) ?? { evening: null, whenStuck: false, whenThrough: false, whenAlert: false };

const hour = v.pipe(v.string(), v.regex(/^(?:[01]?\d|2[0-3])$/, 'Choose an hour.'), v.transform(Number));
export const letterWishesSchema = v.object({
	evening: v.union(
		[
			v.pipe(
				v.literal(''),
				v.transform(() => null)
			),
			hour
		],
		'Choose an hour.'
	),
	stuck: v.optional(v.literal('on')),
	through: v.optional(v.literal('on')),
	alert: v.optional(v.literal('on'))
});

/** Keeps which letters somebody wants; what happened before is not told any more. For oneself alone. */
export async function chooseLetters(
	{ evening, stuck, through, alert }: v.InferOutput<typeof letterWishesSchema>,
	actor: Actor & { readonly personId: string }
): Promise<Act> {
	await database().transaction(async (trx) => {
		const wish = {
			evening_hour: evening,
			when_stuck: stuck === 'on',
			when_through: through === 'on',
			when_alert: alert === 'on',
			told_until: trx.fn.now()
		};
		await trx('letter_wish')
			.insert({ person_id: actor.personId, ...wish })
			.onConflict('person_id')
			.merge(wish);
		await enterInLedger(trx, actor, [
			{
				act: 'choose letters',
				customerId: null,
				subjectKind: 'person',
				subjectId: actor.personId,
				words: `${actor.name} chose which letters of sites they get.`
			}
		]);
	});
	return done(undefined);
}

/** Letters of what happened are so far apart at least: what comes between is gathered. */
const APART = '20 minutes';
/** Whose site it is: a technician's own, all of a customer's for those who coordinate or run them, and all for administrators. */
const THEIRS = `(site.technician_id = :person or exists (
	select from membership where membership.person_id = :person and membership.customer_id = site.customer_id and duty in ('coordinator', 'engineer'))
	or exists (select from person where person.id = :person and administrator))`;
const MOST_SITES = 100;

/** Writes the letters that are due. Each is written as who gets it, behind their walls. Runs as BOOTSTRAP. */
export async function writeLetters(): Promise<void> {
	const { rows } = await database().raw(
		`select person_id as "personId", evening_hour is not null as evening,
			(when_stuck or when_through or when_alert) and told_at < now() - interval '${APART}' as news from letter_wish
		where evening_hour is not null or when_stuck or when_through or when_alert order by person_id`
	);
	for (const { personId, evening, news } of rows as { personId: string; evening: boolean; news: boolean }[])
		await runAs({ kind: 'person', personId }, async () => {
			if (evening) await inLetter(personId, tomorrow);
			if (news) await inLetter(personId, whatHappened);
		}).catch((error: Error) =>
			// One that cannot be written keeps nobody else from theirs; it is tried again with the next minute
			log.error({ person: personId, error: error.message }, 'a letter about sites could not be written')
		);
}

type Part = (trx: Knex, personId: string, base: string) => Promise<Written | null>;

/** One letter, in one transaction with the note that it was written. */
const inLetter = (personId: string, part: Part): Promise<void> =>
	database().transaction(async (trx) => {
		const person = await trx('person').where({ id: personId, disabled_at: null }).first('email');
		const written = person && (await part(trx, personId, publicUrl(currentSettings())));
		if (written) await post(trx, { to: person.email, ...written });
	});

/** What is due tomorrow, where it is late enough today, and was not told yet; of a site that nobody has looked at lately, later. */
const tomorrow: Part = async (trx, personId, base) => {
	const { rows } = await trx.raw(
		`with due as (
			select site.id, site.name, concat_ws(', ', nullif(street, ''), nullif(locality, '')) as place, time_zone as "timeZone",
				(extract(epoch from appointment_at) * 1000)::float8 as at, colleague.name as technician, concat_ws(', ', nullif(contact, ''), nullif(phone, '')) as contact,
				(appointment_at at time zone time_zone)::date as day, gaps
			from site join site_standing stands on stands.site_id = site.id join letter_wish wish on wish.person_id = :person
			join site_readiness looked on looked.site_id = site.id and looked_at > now() - interval '1 hour'
			left join limen_colleagues() colleague on colleague.id = site.technician_id and colleague.customer_id = site.customer_id
			where (appointment_at at time zone time_zone)::date = (now() at time zone time_zone)::date + 1
				and extract(hour from now() at time zone time_zone) >= evening_hour
				and stands.word not in ('online', 'unproven', 'proof-failed') and ${THEIRS}
				and not exists (select from letter_evening told where told.person_id = :person and told.site_id = site.id
					and told.day = (appointment_at at time zone time_zone)::date)
			order by appointment_at limit ${MOST_SITES}
		), told as (
			insert into letter_evening (person_id, site_id, day) select :person, id, day from due on conflict do nothing returning site_id
		) select due.* from due join told on told.site_id = due.id order by at`,
		{ person: personId }
	);
	return rows.length === 0 ? null : eveningLetter(rows as DueSite[], base);
};

/** What came through and what needs somebody since they were told last. */
const whatHappened: Part = async (trx, personId, base) => {
	const { rows } = await trx.raw(
		`with wish as (
			-- asked again: another may have written to them since they were found
			select when_stuck, when_through, when_alert, told_until, now() as until from letter_wish
			where person_id = :person and told_at < now() - interval '${APART}' for update
		), happened as (
			select site.id, site.name, 'stuck' as kind, count(*)::int as units, min(run.failure_words) as words, min(run.ended_at) as at
			from wish join run on run.outcome = 'failed' and run.ended_at > told_until and run.ended_at <= until
			join binding on binding.run_id = run.id join position on position.id = run.position_id join site on site.id = position.site_id
			where when_stuck and ${THEIRS} group by site.id
			union all
			select distinct on (site.id, proof.state) site.id, site.name, case proof.state when 'held' then 'through' else 'stuck' end, 0, '', proof.ended_at
			from wish join site_proof proof on proof.why = 'complete' and proof.ended_at > told_until and proof.ended_at <= until
				and (proof.state = 'held' and when_through or proof.state = 'failed' and when_stuck)
			join site on site.id = proof.site_id where ${THEIRS}
			union all
			select site.id, site.name, 'changed', count(*)::int, array_to_string((array_agg(alert.words order by alert.begun_at desc))[1:3], e'\\n'), min(alert.begun_at)
			from wish join alert on alert.begun_at > told_until and alert.begun_at <= until
			join binding on binding.unit_id = alert.unit_id join position on position.id = binding.position_id join site on site.id = position.site_id
			where when_alert and ${THEIRS} group by site.id
		) select id, name, kind, units, left(coalesce(words, ''), 1000) as words, at::text from happened order by happened.at limit ${MOST_SITES}`,
		{ person: personId }
	);
	if (rows.length === 0) return null;
	const news = rows as (SiteNews & { at: string })[];
	// What does not fit into this letter stands in the next; as text, for no microsecond to be lost
	const until = news.length < MOST_SITES ? trx.fn.now() : news.at(-1)!.at;
	await trx('letter_wish')
		.where({ person_id: personId })
		.update({ told_until: until, told_at: trx.fn.now() });
	return newsLetter(news, base);
};
