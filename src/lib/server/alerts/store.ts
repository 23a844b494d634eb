import type { AlertKind } from '../../../core/events';
import { database } from '../database';

/** What a person should see, or saw. */
export interface Alert {
	readonly id: string;
	readonly kind: AlertKind;
	readonly words: string;
	/** Null: it is about a connector. */
	readonly unitId: string | null;
	readonly connectorId: string | null;
	/** Where it is bound now, by its serial number where it is nowhere; or which connector. */
	readonly where: string;
	readonly customerId: string;
	readonly beganAt: Date;
	readonly lastAt: Date;
	readonly times: number;
	readonly endedAt: Date | null;
	readonly seenAt: Date | null;
	readonly seenBy: string | null;
	/** Who takes care of it. */
	readonly owner: string | null;
	/** Units that are away because this one is. */
	readonly withUnits: readonly string[];
	readonly notes: number;
}

const ALERTS_AT_ONCE = 100;

/**
 * The latest first. `customers`: whose; null for all. `goesOn`: only those that do, or that have ended; `unseen`: those that go
 * on and nobody has looked at.
 */
export async function alerts(
	customers: readonly string[] | null,
	{
		unseen = false,
		goesOn = null,
		unitId = null,
		after = null,
		id = null,
		limit = ALERTS_AT_ONCE
	}: {
		unseen?: boolean;
		goesOn?: boolean | null;
		unitId?: string | null;
		after?: string | null;
		id?: string | null;
		limit?: number;
	} = {}
): Promise<Alert[]> {
	const { rows } = await database().raw(
		`select alert.id, alert.kind, alert.words, alert.unit_id as "unitId", connector_id as "connectorId", coalesce(site.name || ', ' || position.name, serial, connector.name, 'a retired unit') as where, alert.customer_id as "customerId",
			begun_at as "beganAt", last_at as "lastAt", times, alert.ended_at as "endedAt", seen_at as "seenAt", seen_by as "seenBy",
			owner, with_units as "withUnits", (select count(*)::int from alert_note note where note.alert_id = alert.id) as notes
		from alert left join unit on unit.id = alert.unit_id left join connector on connector.id = connector_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where (:customers::uuid[] is null or alert.customer_id = any (:customers::uuid[])) and (:unit::uuid is null or alert.unit_id = :unit::uuid)
			and (not :unseen or (alert.ended_at is null and seen_at is null)) and (:goesOn::boolean is null or (alert.ended_at is null) = :goesOn)
			and (:after::uuid is null or alert.id < :after::uuid)
			and (:id::uuid is null or alert.id = :id::uuid)
		order by alert.id desc limit :limit`,
		{ customers: customers && [...customers], unseen, goesOn, unit: unitId, after, id, limit }
	);
	return rows;
}

export interface AlertNote {
	readonly id: string;
	readonly at: Date;
	readonly byWhom: string;
	readonly words: string;
}
/** One alert with all that was noted of it and the units that are away because of it; null when there is none. */
export async function alertById(id: string): Promise<
	| (Omit<Alert, 'withUnits'> & {
			readonly noted: readonly AlertNote[];
			readonly withUnits: readonly {
				readonly id: string;
				readonly serial: string;
				readonly where: string | null;
			}[];
	  })
	| null
> {
	const [alert] = await alerts(null, { id });
	if (!alert) return null;
	const [noted, { rows: withUnits }] = await Promise.all([
		database()('alert_note')
			.where({ alert_id: id })
			.orderBy('id')
			.select<AlertNote[]>('id', 'at', 'by_whom as byWhom', 'words'),
		database().raw(
			`select unit.id, serial, position.name as where from alert join unit on unit.id = any (with_units)
			left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id
			where alert.id = ? order by position.name`,
			[id]
		)
	]);
	return { ...alert, noted, withUnits };
}
