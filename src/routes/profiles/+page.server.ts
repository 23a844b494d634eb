import { fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import { allParts, allProfiles, allRoles, createPart, createProfile } from '$lib/server/profile';
import { thingName } from '$lib/server/profile/schemas';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [profiles, parts, roles] = await Promise.all([allProfiles(), allParts(), allRoles()]);
	return { profiles, parts, roles };
};

const partSchema = v.object({
	name: thingName,
	summary: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(500)), '')
});
const profileSchema = v.object({ name: thingName, role: v.pipe(v.string(), v.maxLength(40)) });

export const actions: Actions = {
	part: async (event) => {
		const fields = Object.fromEntries(await event.request.formData());
		const parsed = v.safeParse(partSchema, fields);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await createPart(parsed.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/profiles/parts/${act.done.id}`);
	},
	profile: async (event) => {
		const fields = Object.fromEntries(await event.request.formData());
		const parsed = v.safeParse(profileSchema, fields);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await createProfile(parsed.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/profiles/${act.done.id}`);
	}
};
