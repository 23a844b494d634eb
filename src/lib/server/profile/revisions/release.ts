import { counted } from '../../../../core/text';
import type { Knex } from 'knex';
import { type coverageOf, type Coverage, type CoveredModel } from '../../../../core/profile';
import { done, refuse, type Act } from '../../act';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { secondPersonRefusal } from '../../people';
import { offMainThread, task } from '../../threads';
import { strandedBy } from './impact';
import { renderingModels } from '../sources';
import { type Revision } from './revisions';
import { aboutProfile, draftOf, lockProfile, mayNot } from '../editing';

const COVERAGE = task<Parameters<typeof coverageOf>, readonly Coverage[]>('coverageOf');

/** Which models a revision serves, and why it does not serve the others. */
export async function coverageOfRevision(
	{ roleId, parts }: Pick<Revision, 'roleId' | 'parts'>,
	knex: Knex = database()
): Promise<readonly Coverage[]> {
	const models = await renderingModels(knex);
	return offMainThread(COVERAGE, [
		roleId,
		parts.map(({ name, texts }) => ({ name, texts })),
		[...models.values()].map(({ id, name, dialect, roles, ports }): CoveredModel => ({
			id,
			name,
			dialect,
			roles,
			ports
		}))
	]);
}

/**
 * Releases a profile's draft: from now on its positions follow it. Sends nothing. Refused when a part is
 * still a draft, when a unit that is bound would not be served any more, when positions follow it that
 * belong to customers whom the person does not write profiles for, and, where the firm wants two people, to
 * whoever wrote it. How many units it would strand is computed here; with any, an engineer's reason is needed
 * and kept, and `strand` says that it was asked for.
 */
export async function releaseProfile(
	profileId: string,
	edit: number,
	why: string,
	strand: boolean,
	actor: Actor
): Promise<Act<{ number: number }>> {
	const before = await draftOf(database(), profileId);
	// Before the transaction: it takes as long as there are positions, and the draft's edit holds what it is of
	const strands = before ? await strandedBy({ ...before, profileId }, actor.personId ?? null) : 0;
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, profileId, actor);
		if (refused) return refused;
		const profile = await lockProfile(trx, profileId);
		const draft = profile && (await draftOf(trx, profileId));
		if (!draft) return refuse('There is no draft to release.');
		if (draft.edit !== edit)
			return refuse(
				`${draft.editedBy} saved this draft after you last saw it. Look at what it changes first.`
			);
		const wantsOther = secondPersonRefusal(draft.editedById, actor);
		if (wantsOther) return wantsOther;
		const unfinished = draft.parts.find(({ state }) => state === 'draft');
		if (unfinished) return refuse(`“${unfinished.name}” is a draft itself: release that part first.`);
		if (draft.parts.length === 0 && Object.keys(draft.texts).length === 0)
			return refuse('There is nothing in it yet.');
		const lost = (await coverageOfRevision(draft, trx)).filter(({ gaps }) => gaps.length > 0);
		const { rows: dropped } = await trx.raw(
			`select model_id as id, count(*)::int as count from binding join position on position.id = position_id
			where profile_id = ? and model_id = any(?::text[]) group by 1 limit 1`,
			[profileId, lost.map(({ modelId }) => modelId)]
		);
		if (dropped[0]) {
			const { modelName, gaps } = lost.find(({ modelId }) => modelId === dropped[0].id)!;
			return refuse(`${dropped[0].count} bound ${modelName} would not be served any more: ${gaps[0]}`);
		}
		if (strands > 0 && !(strand && actor.may('override stranding', null)))
			return refuse(
				`It would strand units at ${counted(strands, 'position')}. Say that you release it all the same, or mend it.`
			);
		await trx('profile_revision')
			.where({ id: draft.id })
			.update({
				state: 'released',
				note: why,
				released_by: actor.name,
				released_at: trx.fn.now(),
				override_reason: strands > 0 ? why : null
			});
		await trx('profile').where({ id: profileId }).update({ released_revision_id: draft.id });
		await notify(trx, 'profiles', null, [profileId]);
		await notify(trx, 'plan', null);
		await enterInLedger(trx, { ...actor, reason: why }, [
			{
				...aboutProfile(
					profileId,
					'release profile',
					`Profile “${profile.name}” released as revision ${draft.number}${strands > 0 ? `, though it strands units at ${strands} positions` : ''}.`
				),
				after: { revision: draft.number, parts: draft.parts.map(({ name, number }) => `${name} ${number}`) }
			}
		]);
		return done({ number: draft.number });
	});
}
