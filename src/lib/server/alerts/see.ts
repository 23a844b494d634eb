import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notifyEach } from '../live';

/**
 * Notes that somebody looked at alerts: they stand on no first page any more, and go on until what they are about has
 * ended. Whoever may prove at their customers may. Refused: when none of them goes on unseen.
 */
export const seeAlerts = (ids: readonly string[], actor: Actor): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const { rows }: { rows: Seen[] } = await trx.raw(
			`select alert.id, unit_id, connector_id, alert.customer_id, coalesce(serial, connector.name) as where, words
			from alert left join unit on unit.id = unit_id left join connector on connector.id = connector_id
			where alert.id = any (?::uuid[]) and alert.ended_at is null and seen_at is null order by alert.id`,
			[[...ids]]
		);
		if (rows.length === 0) return refuse('Somebody has seen this already, or it has ended.');
		if (!rows.every(({ customer_id }) => actor.may('prove', customer_id)))
			return refuse('You may not do this for units of this customer.');
		await trx('alert')
			.whereIn(
				'id',
				rows.map(({ id }) => id)
			)
			.update({ seen_at: trx.fn.now(), seen_by: actor.name });
		await enterInLedger(
			trx,
			actor,
			rows.map(({ id, unit_id, connector_id, customer_id, where, words }) => ({
				act: 'see alert',
				customerId: customer_id,
				subjectKind: unit_id ? ('unit' as const) : ('connector' as const),
				subjectId: (unit_id ?? connector_id)!,
				words: `Seen, at ${where}: ${words}`.slice(0, 1_000),
				detail: { alertId: id }
			}))
		);
		await notifyEach(
			trx,
			'alerts',
			rows.map(({ unit_id, connector_id, customer_id }) => ({
				id: (unit_id ?? connector_id)!,
				customerId: customer_id
			}))
		);
		return done({ count: rows.length });
	});

interface Seen {
	readonly id: string;
	readonly unit_id: string | null;
	readonly connector_id: string | null;
	readonly customer_id: string;
	readonly where: string;
	readonly words: string;
}
