import type { Knex } from 'knex';
import { database } from '../database';

/** What a unit said, or Limen noticed of it. */
export interface StoredEvent {
	readonly id: string;
	readonly unitId: string;
	readonly serial: string;
	readonly where: string | null;
	readonly at: Date;
	readonly saidAt: Date | null;
	readonly severity: number;
	readonly app: string;
	readonly words: string;
	readonly form: string;
	readonly isChange: boolean;
	readonly byWhom: string;
}

export const EVENTS_AT_ONCE = 100;
/** What is looked for; null where it makes no difference. */
interface Wanted {
	readonly unitId?: string | null;
	/** Of units that are bound there now. */
	readonly siteId?: string | null;
	readonly customers?: readonly string[] | null;
	/** This and what is worse. */
	readonly severity?: number;
	/** Parts of words, each of which stands in it. */
	readonly text?: string;
	/** From then on, and before then, by Limen's clock. */
	readonly since?: Date | null;
	readonly until?: Date | null;
	/** Those before this one. */
	readonly before?: string | null;
}
/** More parts find nothing that these do not. */
const MOST_PARTS = 8;

/** What was said, the latest first. */
export async function events({
	unitId = null,
	siteId = null,
	customers = null,
	severity = 7,
	text = '',
	since = null,
	until = null,
	before = null
}: Wanted): Promise<StoredEvent[]> {
	const parts = text.split(/\s+/).filter((part) => part !== '');
	const { rows } = await database().raw(
		`with looked as (
			select array(select :unit::uuid where :unit::uuid is not null union all select b.unit_id from binding b join position p on p.id = b.position_id
				where p.site_id = :site::uuid) as units, :unit::uuid is null and :site::uuid is null as all_units
		), found as (
			${
				parts.length > 0
					? `select id from looked cross join limen_events_said(:parts::text[], case when not all_units then units end, :customers::uuid[],
				:severity, :since::timestamptz, :until::timestamptz, :before::uuid, ${EVENTS_AT_ONCE}) id`
					: `select id from event where (:unit::uuid is null or event.unit_id = :unit::uuid)
				and (:site::uuid is null or event.unit_id = any (array(select unnest(units) from looked)))
				and (:customers::uuid[] is null or event.customer_id = any (:customers::uuid[])) and severity <= :severity
				and (:since::timestamptz is null or at >= :since::timestamptz) and (:until::timestamptz is null or at < :until::timestamptz)
				and (:before::uuid is null or event.id < :before::uuid)
				order by event.id desc limit ${EVENTS_AT_ONCE}`
			}
		)
		select event.id, event.unit_id as "unitId", serial, site.name || ', ' || position.name as where, event.at, said_at as "saidAt", severity,
			app, words, form, is_change as "isChange", by_whom as "byWhom"
		from found join event on event.id = found.id join unit on unit.id = event.unit_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		order by event.id desc`,
		{
			unit: unitId,
			site: siteId,
			customers: customers && [...customers],
			severity,
			parts: parts.slice(0, MOST_PARTS),
			since,
			until,
			before
		}
	);
	return rows;
}

/** Who configured a unit since a moment, as it said itself; empty when it did not say. */
export async function whoConfigured(trx: Knex, unitId: string, since: Date): Promise<string> {
	const row = await trx('event')
		.where({ unit_id: unitId, is_change: true })
		.where('at', '>=', since)
		.whereNot({ by_whom: '' })
		.orderBy('at', 'desc')
		.first('by_whom');
	return (row?.by_whom as string | undefined) ?? '';
}
