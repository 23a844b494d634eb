import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

/** A pinned version is known to be good and never goes; `reason` null takes the pin away. Whoever may send at the customer may. */
export const pinVersion = (versionId: string, reason: string | null, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const version = await trx('archive_version')
			.join('unit', 'unit.id', 'unit_id')
			.where('archive_version.id', versionId)
			.first('archive_version.customer_id as customerId', 'unit_id as unitId', 'number', 'serial');
		if (!version) return refuse('This version is not kept any more.');
		if (!actor.may('send', version.customerId))
			return refuse('You may not pin versions of this customer’s units.');
		const changed = await trx('archive_version')
			.where({ id: versionId })
			.modify((query) => void (reason === null && query.whereNotNull('pinned_at')))
			.update(
				reason === null
					? { pinned_at: null, pinned_by: null, pin_reason: null }
					: { pinned_at: trx.fn.now(), pinned_by: actor.name, pin_reason: reason }
			);
		if (changed === 0) return refuse('It is not pinned.');
		await enterInLedger(trx, actor, [
			{
				act: reason === null ? 'unpin version' : 'pin version',
				customerId: version.customerId,
				subjectKind: 'unit',
				subjectId: version.unitId,
				words:
					reason === null
						? `Version ${version.number} of ${version.serial} is no longer pinned.`
						: `Version ${version.number} of ${version.serial} is pinned: ${reason}`,
				detail: { versionId }
			}
		]);
		await notify(trx, 'archive', version.customerId, [version.unitId]);
		return done(undefined);
	});
