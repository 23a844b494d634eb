import { counted } from '$core/text';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { describeChange } from '$core/plan';
import { database } from '$lib/server/database';
import { formAction, manyIds, oneId } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import {
	followersOf,
	letFollow,
	patternById,
	patternSchema,
	removePattern,
	savePattern,
	editedPattern,
	patternChoices,
	tunnelEnds
} from '$lib/server/plan';
import { jsonText } from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const pattern = await patternById(database(), params.id);
	if (!pattern) error(404, 'There is no such pattern.');
	demand(locals, 'see renderings', pattern.customerId);
	const [profiles, followers, ends] = await Promise.all([
		patternChoices(pattern.customerId),
		followersOf(pattern),
		tunnelEnds(pattern.customerId)
	]);
	const profileName = (id: string) => profiles.find((profile) => profile.id === id)?.name ?? 'a profile';
	return {
		customerOfPattern: pattern.customerId,
		pattern: editedPattern(pattern, pattern),
		profiles,
		tunnelEnds: ends,
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

const saveSchema = v.object({
	customer: oneId('Choose the customer.'),
	pattern: v.pipe(jsonText, patternSchema)
});

export const actions: Actions = {
	save: formAction(saveSchema, {
		act: ({ customer, pattern }, actor, event) =>
			savePattern(customer, { ...pattern, id: event.params.id! }, actor),
		said: 'The pattern is saved. Choose below which sites follow it.'
	}),
	follow: formAction(v.object({ site: manyIds('Choose a site first.', 20_000) }), {
		act: ({ site }, actor, event) => letFollow(event.params.id!, site, actor),
		said: ({ sites, changes }) =>
			`${counted(sites, 'site follows', 'sites follow')} it now: ${counted(changes, 'change')}. Nothing was sent to any unit.`
	}),
	remove: formAction(v.object({}), {
		act: (_, actor, event) => removePattern(event.params.id!, actor),
		goes: () => '/sites/patterns'
	})
};
