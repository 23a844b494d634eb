import { createHash, randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { Standing } from '../../../core/onboarding';
import { plainProgress, type PlainProgress } from '../../../core/paper';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { currentSettings } from '../settings';

/**
 * Addresses at which a site's progress is told in plain words to whoever holds its card. Nobody can guess
 * one; it shows that site and nothing else, and ends by itself.
 */
const DAY_MS = 24 * 3_600_000;
/** After it was made, and after the appointment: whichever is later. */
const GOOD_FOR_DAYS = 30;
const AFTER_APPOINTMENT_DAYS = 14;

const hashOf = (token: string) => createHash('sha256').update(token).digest();

export interface NewLink {
	readonly siteId: string;
	readonly token: string;
	readonly endsAt: Date;
}

/** New addresses for sites, in the transaction that prints them. */
export async function makeLinks(
	trx: Knex,
	sites: readonly { readonly id: string; readonly customerId: string; readonly appointmentAt: Date | null }[],
	actor: Actor,
	now: number
): Promise<readonly NewLink[]> {
	const links = sites.map(({ id, appointmentAt }) => ({
		siteId: id,
		token: randomBytes(18).toString('base64url'),
		endsAt: new Date(
			Math.max(
				now + GOOD_FOR_DAYS * DAY_MS,
				(appointmentAt?.getTime() ?? 0) + AFTER_APPOINTMENT_DAYS * DAY_MS
			)
		)
	}));
	await trx('site_link').insert(
		links.map(({ siteId, token, endsAt }, index) => ({
			id: uuid(),
			site_id: siteId,
			customer_id: sites[index]!.customerId,
			token_hash: hashOf(token),
			made_by: actor.name,
			ends_at: endsAt
		}))
	);
	return links;
}

/** Whom somebody on site calls, in words. */
export function helpWords(): string {
	const { LIMEN_HELP_LINE, LIMEN_FIRM } = currentSettings();
	if (!LIMEN_HELP_LINE) return 'Call whoever gave you the card.';
	return `Call ${LIMEN_FIRM ? `${LIMEN_FIRM}, ` : ''}${LIMEN_HELP_LINE}.`;
}

export interface ShownProgress {
	readonly siteId: string;
	readonly timeZone: string;
	readonly siteName: string;
	readonly customerName: string;
	readonly help: string;
	readonly positions: readonly (PlainProgress & {
		readonly name: string;
		readonly roleName: string;
		readonly step: NonNullable<Parameters<typeof plainProgress>[0]> | null;
		readonly standing: Standing;
	})[];
}

/** What a card's address shows; null when there is no such address, or not any more. Anybody may ask. */
export async function progressAt(token: string): Promise<ShownProgress | null> {
	const { rows } = await database().raw(
		'select site_id, site, zone, customer, position_name, role, step, standing from limen_site_progress(?)',
		[hashOf(token)]
	);
	const [first] = rows;
	if (!first) return null;
	const help = helpWords();
	return {
		siteId: first.site_id,
		siteName: first.site,
		timeZone: first.zone,
		customerName: first.customer,
		help,
		positions: (rows as ProgressRow[]).flatMap(({ position_name: name, role, step, standing: stands }) => {
			if (name === null || role === null) return [];
			const standing = step === null ? 'waiting' : stands === 'online' ? 'through' : stands;
			return [{ name, roleName: role, step, standing, ...plainProgress(step, standing, help) }];
		})
	};
}
interface ProgressRow {
	readonly position_name: string | null;
	readonly role: string | null;
	readonly step: ShownProgress['positions'][0]['step'];
	readonly standing: Exclude<Standing, 'through'> | 'online';
}

/** How many addresses of a site are good now, and until when the last is. */
export async function linksOf(
	siteId: string
): Promise<{ readonly count: number; readonly until: Date | null }> {
	const row = await database()('site_link')
		.where({ site_id: siteId })
		.whereNull('ended_at')
		.whereRaw('ends_at > now()')
		.first(database().raw('count(*)::int as count'), database().raw('max(ends_at) as until'));
	return row as never;
}

/** Ends all addresses of a site: its cards lead nowhere any more. Whoever may bind for the customer may. */
export const endLinks = (siteId: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const site = await trx('site').where({ id: siteId }).first('customer_id', 'name');
		if (!site) return refuse('There is no such site.');
		if (!actor.may('bind', site.customer_id)) return refuse('You may not do this for this customer.');
		const ended = await trx('site_link')
			.where({ site_id: siteId })
			.whereNull('ended_at')
			.whereRaw('ends_at > now()')
			.update({ ended_at: trx.fn.now() });
		if (ended === 0) return refuse('None of its cards’ addresses is good any more.');
		await enterInLedger(trx, actor, [
			{
				act: 'end card addresses',
				customerId: site.customer_id,
				subjectKind: 'site',
				subjectId: siteId,
				words: `The addresses on the cards of ${site.name} lead nowhere any more.`
			}
		]);
		return done(undefined);
	});
