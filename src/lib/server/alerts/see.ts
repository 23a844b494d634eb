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
		const rows: { id: string; unit_id: string; customer_id: string; serial: string; words: string }[] =
			await trx('alert')
				.join('unit', 'unit.id', 'unit_id')
				.whereIn('alert.id', [...ids])
				.whereNull('ended_at')
				.whereNull('seen_at')
				.orderBy('alert.id')
				.select('alert.id', 'unit_id', 'alert.customer_id', 'serial', 'words');
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
			rows.map(({ id, unit_id, customer_id, serial, words }) => ({
				act: 'see alert',
				customerId: customer_id,
				subjectKind: 'unit' as const,
				subjectId: unit_id,
				words: `Seen, at ${serial}: ${words}`.slice(0, 1_000),
				detail: { alertId: id }
			}))
		);
		await notifyEach(
			trx,
			'alerts',
			rows.map(({ unit_id, customer_id }) => ({ id: unit_id, customerId: customer_id }))
		);
		return done({ count: rows.length });
	});
