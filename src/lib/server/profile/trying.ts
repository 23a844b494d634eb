import { database } from '../database';
import type { Actor } from '../ledger';
import { sealedValues, type ProfileDraft } from './editing';
import { storedFile } from './files';
import { withKept } from './revisions/keeping';
import { partsByRevision, revisionsById, type Revision } from './revisions/revisions';
import { renderingSources, type RenderingSource } from './sources';

/**
 * What a position would be computed from if a draft stood as it was typed; nothing is written. Who may not
 * write profiles gets the released revision's. Null when a part is gone or there twice, or there is no such
 * position.
 */
export async function sourceWithDraft(
	profileId: string,
	positionId: string,
	draft: ProfileDraft,
	actor: Actor
): Promise<RenderingSource | null> {
	const tried = actor.may('edit profiles', null) ? await revisionOf(profileId, draft) : undefined;
	if (tried === null) return null;
	const choice = tried ? { written: new Map([[profileId, tried]]) } : {};
	const sources = await renderingSources(database(), [positionId], choice);
	return sources.get(positionId) ?? null;
}

/** A revision as saving the draft would make it: what the draft does not say is as in the newest one. */
async function revisionOf(profileId: string, draft: ProfileDraft): Promise<Revision | null> {
	const knex = database();
	const newest = await knex('profile_revision')
		.where({ profile_id: profileId })
		.orderBy('number', 'desc')
		.first('id');
	const base = newest && (await revisionsById(knex, [newest.id])).get(newest.id);
	if (!base) return null;
	const known = await partsByRevision(knex, draft.parts);
	const parts = draft.parts.flatMap((id) => known.get(id) ?? []);
	if (new Set(parts.map(({ partId }) => partId)).size < draft.parts.length) return null;
	return {
		...base,
		...draft,
		state: 'draft',
		parts,
		files: draft.files.map(storedFile),
		values: await sealedValues(knex, withKept(draft.values, base.values))
	};
}
