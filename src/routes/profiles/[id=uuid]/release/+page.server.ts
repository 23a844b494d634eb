import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { kitChanges } from '$core/profile';
import { refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { editNumber, formAction } from '$lib/server/forms';
import { behindByProfile } from '$lib/server/drift';
import { customersWhere, demand } from '$lib/server/people';
import { sheetColumns } from '$lib/server/plan';
import {
	EMPTY_DRAFT,
	impactOf,
	profileById,
	releaseProfile,
	revisionsById,
	revisionsOf,
	shownImpact
} from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

/** The draft that is being written, and its impact as far as it is computed for whoever asks. */
async function draftAndImpact(profileId: string, personId: string) {
	const draft = (await revisionsOf(profileId)).find(({ state }) => state === 'draft');
	const revision = draft && (await revisionsById(database(), [draft.id])).get(draft.id);
	return revision ? { revision, impact: await impactOf(revision, personId) } : null;
}

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	demand(locals, 'edit profiles');
	depends('limen:live');
	const profile = await profileById(params.id);
	if (!profile) error(404, 'There is no such profile.');
	const found = await draftAndImpact(params.id, locals.person!.id);
	const released =
		profile.releasedRevisionId === null
			? undefined
			: (await revisionsById(database(), [profile.releasedRevisionId])).get(profile.releasedRevisionId);
	const [standing] = await behindByProfile(customersWhere(locals, 'see renderings', null), profile.id);
	return {
		profile,
		online: standing ? standing.current + standing.behind : 0,
		beside: found ? kitChanges(released ?? EMPTY_DRAFT, found.revision) : [],
		// Values can be there before what asks for them is released
		newFields: (await sheetColumns({ profileId: profile.id, all: true, draft: true }))
			.filter(({ isNew }) => isNew)
			.map(({ field }) => ({ name: field.name, need: field.need, scope: field.scope })),
		draft: found && {
			number: found.revision.number,
			edit: found.revision.edit,
			parts: found.revision.parts.map(({ name, number, state }) => ({ name, number, state }))
		},
		impact: found
			? { ...found.impact, result: found.impact.result && shownImpact(found.impact.result) }
			: null
	};
};

const schema = v.object({
	edit: editNumber,
	why: v.pipe(
		v.string(),
		v.trim(),
		v.minLength(1, 'Say why; a few words are enough.'),
		v.maxLength(2000, 'At most 2,000 characters.')
	),
	strand: v.optional(v.string())
});

export const actions: Actions = {
	default: formAction(schema, {
		act: async ({ edit, why, strand }, actor, event) => {
			if (!actor.may('edit profiles', null)) return refuse('Profiles are released by engineers.');
			const found = await draftAndImpact(event.params.id!, event.locals.person!.id);
			if (!found) return refuse('There is no draft to release.');
			if (found.impact.state !== 'done' || found.impact.edit !== edit)
				return refuse('Wait until it is computed what this changes, and look at it.');
			return releaseProfile(event.params.id!, edit, why, strand === 'on', actor);
		},
		goes: (_done, _given, event) => `/profiles/${event.params.id}`
	})
};
