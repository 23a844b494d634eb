import type { Knex } from 'knex';
import { withSecrets } from '../../../core/archive';
import { database } from '../database';
import { unseal } from '../keys';
import { hidingAtPosition } from '../profile';
import { unpacked } from './packing';

/** How a version came about. */
export type How = 'first' | 'run' | 'send' | 'back' | 'outside';

/** A version as lists show it. */
export interface Version {
	readonly id: string;
	readonly unitId: string;
	readonly customerId: string;
	/** Where it ran it; null where that place is gone. */
	readonly positionId: string | null;
	readonly number: number;
	readonly at: Date;
	readonly seenAt: Date;
	readonly how: How;
	readonly byWhom: string;
	readonly firmware: string;
	readonly lines: number;
	readonly pinnedAt: Date | null;
	readonly pinnedBy: string | null;
	readonly pinReason: string | null;
	/** A handover was made while the unit ran it. */
	readonly handover: Date | null;
}

/** When a handover refers to a version: the last that was made while its unit ran it. */
const HANDOVER = `(
	select max(handover.made_at) from handover join position on position.site_id = handover.site_id
	where position.id = archive_version.position_id and handover.made_at >= archive_version.at
		and handover.made_at < coalesce((select min(later.at) from archive_version later
			where later.unit_id = archive_version.unit_id and later.number > archive_version.number), 'infinity')
)`;

const shown = (knex: Knex): Knex.QueryBuilder =>
	knex('archive_version').select(
		'id',
		'unit_id as unitId',
		'customer_id as customerId',
		'position_id as positionId',
		'number',
		'at',
		'seen_at as seenAt',
		'how',
		'by_whom as byWhom',
		'firmware',
		'lines',
		'pinned_at as pinnedAt',
		'pinned_by as pinnedBy',
		'pin_reason as pinReason',
		knex.raw(`${HANDOVER} as handover`)
	);

/** The versions of a unit that are kept, newest first. */
export const versionsOf = (unitId: string, limit = 200): Promise<Version[]> =>
	shown(database()).where({ unit_id: unitId }).orderBy('number', 'desc').limit(limit);

export const versionById = (id: string, knex: Knex = database()): Promise<Version | undefined> =>
	shown(knex).where({ id }).first();

/** Of the versions that a handover refers to, the ids among these; for keeping them. */
export const REFERRED_TO = `${HANDOVER} is not null`;

interface Link {
	readonly id: string;
	readonly packed: Buffer;
	readonly is_whole: boolean;
	readonly secrets: string | null;
}

/** From the next version that stands by itself down to this one. */
async function chainDownTo(knex: Knex, unitId: string, number: number): Promise<Link[]> {
	const { rows } = await knex.raw(
		`select id, packed, is_whole, secrets from archive_version
		where unit_id = :unit and number between :number and (
			select min(number) from archive_version where unit_id = :unit and number >= :number and is_whole)
		order by number desc`,
		{ unit: unitId, number }
	);
	return rows as Link[];
}

/** The text of a version without its secrets; null when it is gone. */
export async function maskedTextOf(knex: Knex, unitId: string, number: number): Promise<string | null> {
	let text: string | null = null;
	for (const link of await chainDownTo(knex, unitId, number))
		text = unpacked(link.packed, link.is_whole ? null : text);
	return text;
}

/**
 * The same as people may see it now: what its position counts as a secret by now may have stood there in the open when it was
 * kept.
 */
export async function shownTextOf(unitId: string, number: number): Promise<string | null> {
	const [text, version] = await Promise.all([
		maskedTextOf(database(), unitId, number),
		database()('archive_version').where({ unit_id: unitId, number }).first('position_id as positionId')
	]);
	return text === null || !version ? text : (await hidingAtPosition(version.positionId))(text);
}

/** The whole text of a version, as the unit printed it; null when it is gone. Only for what goes back to the unit or is compared. */
export async function wholeTextOf(knex: Knex, unitId: string, number: number): Promise<string | null> {
	const masked = await maskedTextOf(knex, unitId, number);
	if (masked === null) return null;
	const row = await knex('archive_version')
		.where({ unit_id: unitId })
		.where('number', '>=', number)
		.whereNotNull('secrets')
		.orderBy('number')
		.first('secrets');
	return withSecrets({ masked, secrets: JSON.parse(unseal(row.secrets)) as string[] });
}
