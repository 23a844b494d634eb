import { error, fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { kitChanges } from '$core/profile';
import { database } from '$lib/server/database';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import {
	EMPTY_DRAFT,
	impactOf,
	profileById,
	releaseProfile,
	revisionsById,
	revisionsOf,
	type ImpactPosition,
	type ImpactResult
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
	return {
		profile,
		beside: found ? kitChanges(released ?? EMPTY_DRAFT, found.revision) : [],
		draft: found && {
			number: found.revision.number,
			edit: found.revision.edit,
			parts: found.revision.parts.map(({ name, number, state }) => ({ name, number, state }))
		},
		impact: found ? { ...found.impact, result: found.impact.result && summed(found.impact.result) } : null
	};
};

const MOST_NAMED = 120;
const MOST_MENTIONED = 5;

/** The result as a page can show it: with ten thousand positions the counts are what counts. */
function summed({ groups, stranded, uplink }: ImpactResult) {
	const counted = (positions: readonly ImpactPosition[], most: number) => ({
		count: positions.length,
		sites: new Set(positions.map(({ siteId }) => siteId)).size,
		named: positions.slice(0, most)
	});
	return {
		groups: groups.map(({ change, positions }) => ({
			change,
			...counted(positions, change.kind === 'same' ? 0 : MOST_NAMED)
		})),
		stranded: stranded.map(({ words, positions }) => ({ words, ...counted(positions, MOST_MENTIONED) })),
		uplink: counted(uplink, MOST_MENTIONED)
	};
}

const schema = v.object({
	edit: v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number)),
	why: v.pipe(
		v.string(),
		v.trim(),
		v.minLength(1, 'Say why; a few words are enough.'),
		v.maxLength(2000, 'At most 2,000 characters.')
	),
	strand: v.optional(v.string())
});

export const actions: Actions = {
	default: async (event) => {
		demand(event.locals, 'edit profiles');
		const parsed = v.safeParse(schema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { edit, why, strand } = parsed.output;
		const found = await draftAndImpact(event.params.id!, event.locals.person!.id);
		if (!found) return fail(409, { problem: 'There is no draft to release.' });
		if (found.impact.state !== 'done' || found.impact.edit !== edit)
			return fail(409, { problem: 'Wait until it is computed what this changes, and look at it.' });
		const act = await releaseProfile(event.params.id!, edit, why, strand === 'on', actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/profiles/${event.params.id}`);
	}
};
