import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction, oneId } from '$lib/server/forms';
import { handovers } from '$lib/server/handover';
import { siteById } from '$lib/server/plan';
import { checkAgain, lastProof, proofSummary, proveSite } from '$lib/server/proof';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const [proof, summary, given] = await Promise.all([
		lastProof(site.id),
		proofSummary(site.id),
		handovers({ siteId: site.id }, 1)
	]);
	return { site, proof, summary, wasHandedOver: given.length > 0 };
};

const againSchema = v.object({
	proof: oneId('Choose a proof.'),
	check: v.pipe(v.string(), v.regex(/^[1-9]\d{0,4}$/, 'Choose a check.'), v.transform(Number))
});

export const actions: Actions = {
	prove: formAction(v.object({}), {
		act: (_, actor, event) => proveSite(event.params.id!, 'asked', actor),
		goes: (_done, _given, event) => `/sites/${event.params.id}/proof`
	}),
	again: formAction(againSchema, {
		act: ({ proof, check }, actor) => checkAgain(proof, check, actor),
		said: 'It is checked again.'
	})
};
