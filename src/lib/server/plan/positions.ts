import { done, refuse, type Act } from '../act';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { renderingSources } from '../profile';

/**
 * Lets a position follow another profile of its role. Whoever may set values for the customer may do it.
 * Refused when the profile does not serve the unit that is bound there. Sends nothing.
 */
export async function followProfile(positionId: string, profileId: string, actor: Actor): Promise<Act> {
	try {
		return await database().transaction(async (trx) => {
			await trx('position').where({ id: positionId }).forUpdate().first('id');
			const before = (await renderingSources(trx, [positionId])).get(positionId);
			if (!before) return refuse('There is no such position.');
			if (!actor.may('set values', before.customerId)) return refuse('You may not plan for this customer.');
			if (before.profileId === profileId) return refuse('It follows this profile already.');
			await trx('position').where({ id: positionId }).update({ profile_id: profileId });
			const after = (await renderingSources(trx, [positionId])).get(positionId)!;
			const gap =
				after.isBound && after.revision?.parts.find(({ texts }) => texts[after.model!.dialect] === undefined);
			if (gap)
				throw new NotServed(`“${gap.name}” has no text for the ${after.model!.name} that is bound here.`);
			await notify(trx, 'plan', before.customerId);
			await enterInLedger(trx, actor, [
				{
					act: 'follow profile',
					customerId: before.customerId,
					subjectKind: 'position',
					subjectId: positionId,
					words: `${before.positionName} at ${before.siteName} follows “${after.profileName}” instead of “${before.profileName}”.`
				}
			]);
			return done(undefined);
		});
	} catch (error) {
		if (error instanceof NotServed) return refuse(error.message);
		if (!isRefusal(error)) throw error;
		return refuse('There is no such profile for a position of this role.');
	}
}
/** Takes back what the transaction has done so far. */
class NotServed extends Error {}
