import { error, fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { describeChange } from '$core/plan';
import { database } from '$lib/server/database';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import {
	followersOf,
	letFollow,
	patternById,
	patternSchema,
	removePattern,
	savePattern
} from '$lib/server/plan';
import { editedPattern, patternChoices } from '$lib/server/plan/pattern-page';
import { jsonText } from '$lib/server/profile/schemas';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const pattern = await patternById(database(), params.id);
	if (!pattern) error(404, 'There is no such pattern.');
	demand(locals, 'see renderings', pattern.customerId);
	const [profiles, followers] = await Promise.all([patternChoices(pattern.customerId), followersOf(pattern)]);
	const profileName = (id: string) => profiles.find((profile) => profile.id === id)?.name ?? 'a profile';
	return {
		customerOfPattern: pattern.customerId,
		pattern: editedPattern(pattern, pattern),
		profiles,
		followers: followers.map(({ siteId, siteName, following }) => ({
			siteId,
			siteName,
			differences: following.changes.map((change) => describeChange(change, profileName)),
			kept: following.kept.map(
				({ position, what, why }) => `${position ? `${position.name} ` : ''}${what}: ${why}`
			)
		}))
	};
};

const id = v.pipe(v.string(), v.uuid());
const saveSchema = v.object({ customer: id, pattern: v.pipe(jsonText, patternSchema) });

export const actions: Actions = {
	save: async (event) => {
		const parsed = v.safeParse(saveSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { customer, pattern } = parsed.output;
		const act = await savePattern(customer, { ...pattern, id: event.params.id }, actorOf(event));
		return act.ok
			? { said: 'The pattern is saved. Choose below which sites follow it.' }
			: fail(409, { problem: act.problem });
	},
	follow: async (event) => {
		const sites = (await event.request.formData()).getAll('site');
		const parsed = v.safeParse(v.pipe(v.array(id), v.minLength(1, 'Choose a site first.')), sites);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await letFollow(event.params.id, parsed.output, actorOf(event));
		return act.ok
			? {
					said: `${act.done.sites} ${act.done.sites === 1 ? 'site follows' : 'sites follow'} it now: ${act.done.changes} changes. Nothing was sent to any unit.`
				}
			: fail(409, { problem: act.problem });
	},
	remove: async (event) => {
		const act = await removePattern(event.params.id, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, '/sites/patterns');
	}
};
