import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { renderingSources, type RenderingSource } from '../profile';

/**
 * Lets a position follow another profile of its role. Whoever may set values for the customer may do it.
 * Refused when the profile does not serve the unit that is bound there. Sends nothing.
 */
export const followProfile = (positionId: string, profileId: string, actor: Actor): Promise<Act> =>
	changing(
		(trx) => followProfileIn(trx, positionId, profileId, actor),
		{},
		'There is no such profile for a position of this role.'
	);

/** The same as part of another act; rejects, as the database does, when the profile is for another role. */
export async function followProfileIn(
	trx: Knex,
	positionId: string,
	profileId: string,
	actor: Actor
): Promise<Act> {
	await trx('position').where({ id: positionId }).forUpdate().first('id');
	const before = (await renderingSources(trx, [positionId])).get(positionId);
	if (!before) return refuse('There is no such position.');
	if (!actor.may('set values', before.customerId)) return refuse('You may not plan for this customer.');
	if (before.profileId === profileId) return refuse('It follows this profile already.');
	await trx('position').where({ id: positionId }).update({ profile_id: profileId });
	const after = (await renderingSources(trx, [positionId])).get(positionId)!;
	const gap = gapAt(after);
	if (gap) throw new TakenBack(refuse(`${gap} here.`));
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
}

/** Why a profile does not serve the unit that is bound at a position; null when it does, or none is bound. */
export function gapAt({ isBound, revision, model, uplinkGap }: RenderingSource): string | null {
	if (isBound && uplinkGap) return uplinkGap.replace(/\.$/, '');
	const gap = isBound && revision?.parts.find(({ texts }) => texts[model!.dialect] === undefined);
	return gap ? `“${gap.name}” has no text for the ${model!.name} that is bound` : null;
}
