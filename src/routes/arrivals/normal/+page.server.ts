import { knownModels, normalSteps } from '$lib/server/watch';
import type { PageServerLoad } from './$types';

/** How long each step takes, by model and uplink, as it was learnt from all runs. */
export const load: PageServerLoad = async ({ url, depends }) => {
	depends('limen:live');
	const models = await knownModels();
	const model = models.find(({ id }) => id === url.searchParams.get('model')) ?? models[0] ?? null;
	const wanted = url.searchParams.get('uplink');
	const uplink = model?.uplinks.find((one) => one === wanted) ?? model?.uplinks[0] ?? null;
	return { models, model, uplink, steps: model && uplink ? await normalSteps(model.id, uplink) : [] };
};
