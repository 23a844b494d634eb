import { formAction } from '$lib/server/forms';
import {
	allImages,
	droppedTargetSchema,
	dropTarget,
	firmwareLines,
	imageStateSchema,
	ownTargets,
	setImageState,
	setTarget,
	signedLines,
	targetSchema,
	whoRuns
} from '$lib/server/firmware';
import { customersWhere, demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see images');
	depends('limen:live');
	const customers = customersWhere(locals, 'see', locals.customerId);
	const [images, lines, signed, targets, runs] = await Promise.all([
		allImages(),
		firmwareLines(),
		signedLines(),
		ownTargets(customers),
		whoRuns(customers)
	]);
	return {
		lines,
		/** Lines whose images can be signed. */
		signed,
		targets,
		runs,
		images: images.map(({ sha256, signedBy, ...image }) => ({
			...image,
			sha256: sha256.toString('hex'),
			signedBy: signedBy?.toString('hex') ?? null
		}))
	};
};

export const actions: Actions = {
	state: formAction(imageStateSchema, {
		of: 'upload image',
		act: setImageState,
		said: (_, { state }) =>
			state === 'withdrawn' ? 'It is withdrawn: no unit is given it any more.' : 'That is kept.'
	}),
	target: formAction(targetSchema, {
		act: setTarget,
		said: 'That is kept. Nothing is sent by itself: who is behind by it stands under Behind.'
	}),
	drop: formAction(droppedTargetSchema, {
		act: ({ target }, actor) => dropTarget(target, actor),
		said: 'The profile’s own counts again.'
	})
};
