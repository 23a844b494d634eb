import * as v from 'valibot';
import { PURPOSE_IDS } from '$core/profile';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { allParts, allProfiles, allRoles, createPart, createProfile, thingName } from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [profiles, parts, roles] = await Promise.all([allProfiles(), allParts(), allRoles()]);
	return { profiles, parts, roles };
};

const partSchema = v.object({
	name: thingName,
	summary: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(500)), ''),
	purpose: v.optional(
		v.union([
			v.pipe(
				v.literal(''),
				v.transform(() => null)
			),
			v.picklist(PURPOSE_IDS)
		]),
		''
	)
});
const profileSchema = v.object({ name: thingName, role: v.pipe(v.string(), v.maxLength(40)) });

export const actions: Actions = {
	part: formAction(partSchema, {
		act: (given, actor) => createPart(given, actor),
		goes: ({ id }) => `/profiles/parts/${id}`
	}),
	profile: formAction(profileSchema, {
		act: (given, actor) => createProfile(given, actor),
		goes: ({ id }) => `/profiles/${id}`
	})
};
