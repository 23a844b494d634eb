import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { beginLongWork } from '../jobs';
import type { Actor } from '../ledger';

export const TRY_AGAIN = 'try again';

/**
 * Lets those of many units whose runs failed or stalled try again, as long work, each as an act of its own. Returns how
 * many may; the others are left as they are: not bound, neither failed nor stalled, or not for whoever asks.
 */
export async function retryUnits(
	unitIds: readonly string[],
	actor: Actor
): Promise<Act<{ id: string; count: number }>> {
	const failed: { position: string; customerId: string; subject: string }[] = await database()('binding')
		.join('run', 'run.id', 'run_id')
		.join('unit', 'unit.id', 'binding.unit_id')
		.join('position', 'position.id', 'binding.position_id')
		.join('site', 'site.id', 'position.site_id')
		.whereIn('stands.unit_id', [...unitIds])
		.join('position_standing as stands', 'stands.run_id', 'run.id')
		.where((some) => some.where({ 'run.outcome': 'failed' }).orWhere({ 'stands.standing': 'stalled' }))
		.orderBy(['site.name', 'position.name'])
		.select(
			'binding.position_id as position',
			'binding.customer_id as customerId',
			database().raw(`unit.serial || ', ' || site.name || ' ' || position.name as subject`)
		);
	const mine = failed.filter(({ customerId }) => actor.may('retry', customerId));
	if (mine.length === 0) return refuse('None of them has failed or stalled and may be tried again by you.');
	const begun = await database().transaction((trx) =>
		beginLongWork(
			trx,
			{
				kind: TRY_AGAIN,
				title: 'Let units try again',
				things: mine.map(({ position, ...thing }) => ({ ...thing, about: { position } }))
			},
			actor
		)
	);
	return begun.ok ? done({ ...begun.done, count: mine.length }) : begun;
}
