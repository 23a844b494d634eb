import { readClaimCode } from '../../../core/intake';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { claimHash } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { askFor } from './registries';

/** Replaces a unit's claim code, when the one taken in was misread. The code itself is not kept. */
export async function correctClaimCode(unitId: string, text: string, actor: Actor): Promise<Act> {
	const code = readClaimCode(text);
	if (code === null) return refuse('The claim code has 8 to 32 letters and digits; this one does not.');
	return database().transaction(async (trx) => {
		const unit = await trx('unit')
			.where({ id: unitId })
			.forUpdate()
			.first('serial', 'customer_id', 'ownership');
		if (!unit) return refuse('There is no such unit.');
		if (!actor.may('correct claim code', unit.customer_id))
			return refuse('You may not correct claim codes for this customer.');
		// What its maker has confirmed stays confirmed; what it has not is asked for with the new code
		if (unit.ownership === 'confirmed')
			await trx('unit')
				.where({ id: unitId })
				.update({ claim_hash: claimHash(code) });
		else await askFor(trx, [{ id: unitId, claimCode: code }]);
		await trx('caller').where({ serial: unit.serial, reason: 'wrong-code' }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'correct claim code',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `Claim code of unit ${unit.serial} corrected.`
			}
		]);
		await notify(trx, 'callers', null);
		await notify(trx, 'units', unit.customer_id, [unitId]);
		return done(undefined);
	});
}
