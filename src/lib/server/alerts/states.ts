import { counted } from '../../../core/text';
import type { AlertRule } from '../../../core/alerts';
import { database, timeNow } from '../database';
import { raise } from './raise';
import { endAlerts, quietOf, rulesAbout, type Ruled } from './watching';

/** Rules of how a unit stands: what one finds is told, and over once it is not found any more. */
type StateRule = Extract<AlertRule, { about: 'late' | 'drift' | 'ending' | 'said' }>;

/** A rule that matches everything tells of no more units than this. */
const MOST_AT_ONCE = 1_000;

/**
 * Of each unit what is found now, in SQL: its ids, and in words how it stands. `:customer`: whose, null for everybody's; the
 * names of the rule's own fields stand for what it says.
 */
const FOUND: { readonly [About in StateRule['about']]: string } = {
	late: `select stands.unit_id, stands.customer_id, stands.site_id, 'Its step “' || stands.step || '” takes longer than most like it.' as words, null::int as times
		from position_standing stands
		where stands.outcome = 'open' and stands.standing in ('late', 'stalled') and stands.late_at < :now::timestamptz - make_interval(mins => :minutes)`,
	drift: `select d.unit_id, d.customer_id, position.site_id, 'It runs something other than it should.' as words, null::int as times
		from unit_drift d join binding on binding.unit_id = d.unit_id join position on position.id = binding.position_id
		where d.state = 'differs' and d.since < :now::timestamptz - make_interval(mins => :minutes)`,
	ending: `select v.unit_id, v.customer_id, position.site_id, 'Its voucher ends on ' || to_char(v.expires_at, 'FMDD Month YYYY') || '.' as words, null::int as times
		from voucher v join binding on binding.unit_id = v.unit_id join position on position.id = binding.position_id join run on run.id = binding.run_id
		where run.outcome <> 'through' and v.expires_at < :now::timestamptz + make_interval(days => :days)`,
	// What Limen says of its own alerts would be told for ever
	said: `select e.unit_id, e.customer_id, position.site_id, e.words, e.times from (
			select unit_id, customer_id, count(*)::int as times, (array_agg(words order by id desc))[1] as words
			from event where at > :now::timestamptz - make_interval(mins => :minutes) and severity <= :severity and kind not like 'ALERT-%'
				and (:words = '' or words ilike :like) and (:customer::uuid is null or customer_id = :customer::uuid)
			group by 1, 2 having count(*) >= :times
		) e join binding on binding.unit_id = e.unit_id join position on position.id = binding.position_id`
};

interface Found {
	readonly unitId: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly words: string;
	/** How often a unit said so. */
	readonly times: number | null;
}

/** Tells of units by how they stand. Nothing begins while something is being done at the unit. Runs as BOOTSTRAP. */
export async function watchStates(now = new Date(timeNow())): Promise<void> {
	for (const about of Object.keys(FOUND) as StateRule['about'][])
		for (const ruled of await rulesAbout(about)) await watchState(ruled, now);
}

async function watchState({ id, customerId, name, rule }: Ruled<StateRule>, now: Date): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select unit_id as "unitId", customer_id as "customerId", site_id as "siteId", words, times from (${FOUND[rule.about]}) found
			where (:customer::uuid is null or customer_id = :customer::uuid) order by unit_id limit ${MOST_AT_ONCE}`,
			{
				...rule,
				...(rule.about === 'said' && { like: `%${rule.words.replace(/[\\%_]/g, '\\$&')}%` }),
				now,
				customer: customerId
			}
		);
		const found = rows as Found[];
		const open: { id: string; unit_id: string }[] = await trx('alert')
			.where({ kind: rule.about, rule_id: id, ended_at: null })
			.select('id', 'unit_id');
		const [goesOn, told] = [
			new Set(found.map(({ unitId }) => unitId)),
			new Set(open.map((one) => one.unit_id))
		];
		const begins = found.filter(({ unitId }) => !told.has(unitId));
		// What units say is told also while they are worked at: somebody asked for these words
		const quiet = rule.about === 'said' ? new Set() : await quietOf(trx, begins, now);
		for (const one of found)
			if (!quiet.has(one.unitId))
				await raise(trx, {
					...one,
					kind: rule.about,
					isSame: true,
					ruleId: id,
					words: `${name}: ${one.times === null ? one.words : `${counted(one.times, 'time')}, last “${one.words.slice(0, 300)}”.`}`
				});
		await endAlerts(
			trx,
			open.flatMap((one) => (goesOn.has(one.unit_id) ? [] : [one.id]))
		);
	});
}
