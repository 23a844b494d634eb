import { error } from '@sveltejs/kit';
import { notesAt } from '$lib/server/day';
import { formAction } from '$lib/server/forms';
import { handingOverSchema, handovers, makeHandover, signaturesAt } from '$lib/server/handover';
import { siteById } from '$lib/server/plan';
import { lastProof, proofSummary } from '$lib/server/proof';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const [proof, summary, made, notes, signatures] = await Promise.all([
		lastProof(site.id),
		proofSummary(site.id),
		handovers({ siteId: site.id }),
		notesAt(site.id),
		signaturesAt(site.id)
	]);
	const open = proof?.checks.filter(({ state }) => state === 'fails' || state === 'unread') ?? [];
	return {
		site,
		summary,
		handovers: made,
		signatures: signatures.map(({ id, name, at }) => ({ id, name, at })),
		photos: notes.filter(({ kind }) => kind === 'photo').length,
		notes: notes.filter(({ kind }) => kind === 'note').length,
		open: open.map(({ positionName, title }) => `${positionName}: ${title}`)
	};
};

export const actions: Actions = {
	make: formAction(handingOverSchema, {
		act: (given, actor, event) => makeHandover(event.params.id!, given, actor),
		said: ({ number }) => `Handed over: number ${number}. It is sealed, and never changes.`
	})
};
