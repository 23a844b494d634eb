import { database } from '../database';

/** Something that a webhook was told, or is to be. */
export interface Delivery {
	readonly id: string;
	/** Of what happened: the id of the event. */
	readonly eventId: string;
	readonly kind: string;
	readonly at: Date;
	readonly subject: string | null;
	/** Its site, and its place there. */
	readonly where: string;
	readonly tries: number;
	readonly lastAt: Date | null;
	readonly status: number | null;
	readonly tookMs: number | null;
	readonly trouble: string;
	readonly state: 'taken' | 'waiting' | 'given up';
}
export const DELIVERY_STATES = [
	'waiting',
	'given up',
	'taken'
] as const satisfies readonly Delivery['state'][];
export const DELIVERIES_AT_ONCE = 100;

/** What a webhook was told, the latest first; those before one. For administrators; nobody else sees any. */
export async function deliveries(
	webhookId: string,
	{
		state = null,
		before = null
	}: { readonly state?: Delivery['state'] | null; readonly before?: string | null } = {}
): Promise<Delivery[]> {
	const { rows } = await database().raw(
		`select * from (
			select d.id, event_id as "eventId", kind, at, data ->> 'subject' as subject, concat_ws(', ', data #>> '{site,name}', data #>> '{position,name}') as where, tries, last_at as "lastAt", status, took_ms as "tookMs", trouble,
				case when taken_at is not null then 'taken' when given_up_at is not null then 'given up' else 'waiting' end as state
			from webhook_delivery d where webhook_id = :webhookId and (:before::uuid is null or d.id < :before::uuid)
		) d where :state::text is null or state = :state order by id desc limit ${DELIVERIES_AT_ONCE}`,
		{ webhookId, state, before }
	);
	return rows;
}
