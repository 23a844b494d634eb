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
interface Wanted {
	readonly unitId?: string | null;
	/** Null for all that there are. */
	readonly customers?: readonly string[] | null;
	/** This and what is worse. */
	readonly severity?: number;
	readonly text?: string;
	/** Those before this one. */
	readonly before?: string | null;
}

/** What was said, the latest first. */
export async function events({
	unitId = null,
	customers = null,
	severity = 7,
	text = '',
	before = null
}: Wanted): Promise<StoredEvent[]> {
	const { rows } = await database().raw(
		`select event.id, event.unit_id as "unitId", serial, site.name || ', ' || position.name as where, event.at, said_at as "saidAt", severity,
			app, words, form, is_change as "isChange", by_whom as "byWhom"
		from event join unit on unit.id = event.unit_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where (:unit::uuid is null or event.unit_id = :unit::uuid) and (:customers::uuid[] is null or event.customer_id = any (:customers::uuid[]))
			and severity <= :severity and (:text = '' or words ilike :like or app ilike :like)
			and (:before::uuid is null or event.id < :before::uuid)
		order by event.id desc limit ${EVENTS_AT_ONCE}`,
		{
			unit: unitId,
			customers: customers && [...customers],
			severity,
			text,
			like: `%${text.replace(/[\\%_]/g, '\\$&')}%`,
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
