import type { AlertKind } from '../../../core/events';
import { database } from '../database';

/** What a person should see, or saw. */
export interface Alert {
	readonly id: string;
	readonly kind: AlertKind;
	readonly words: string;
	readonly unitId: string;
	readonly serial: string;
	/** Where it is bound now. */
	readonly where: string | null;
	readonly customerId: string;
	readonly beganAt: Date;
	readonly lastAt: Date;
	readonly times: number;
	readonly endedAt: Date | null;
	readonly seenAt: Date | null;
	readonly seenBy: string | null;
}

export const ALERTS_AT_ONCE = 100;

/** The latest first. `customers`: whose; null for all. `unseen`: only those that go on and nobody has looked at. */
export async function alerts(
	customers: readonly string[] | null,
	{
		unseen = false,
		unitId = null,
		after = null,
		limit = ALERTS_AT_ONCE
	}: { unseen?: boolean; unitId?: string | null; after?: string | null; limit?: number } = {}
): Promise<Alert[]> {
	const { rows } = await database().raw(
		`select alert.id, alert.kind, alert.words, alert.unit_id as "unitId", serial, site.name || ', ' || position.name as where, alert.customer_id as "customerId",
			begun_at as "beganAt", last_at as "lastAt", times, alert.ended_at as "endedAt", seen_at as "seenAt", seen_by as "seenBy"
		from alert join unit on unit.id = alert.unit_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where (:customers::uuid[] is null or alert.customer_id = any (:customers::uuid[])) and (:unit::uuid is null or alert.unit_id = :unit::uuid)
			and (not :unseen or (alert.ended_at is null and seen_at is null)) and (:after::uuid is null or alert.id < :after::uuid)
		order by alert.id desc limit :limit`,
		{ customers: customers && [...customers], unseen, unit: unitId, after, limit }
	);
	return rows;
}
