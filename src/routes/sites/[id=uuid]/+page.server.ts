import { error } from '@sveltejs/kit';
import { isSecretName, MASK, maskSecrets } from '$core/profile';
import { unitsFor } from '$lib/server/intake';
import { database } from '$lib/server/database';
import { adviceOn, bindUnit, retryRun, unbindUnit } from '$lib/server/onboarding';
import { bindAction, retryAction, unbindAction } from '$lib/server/onboarding/actions';
import { positionsOf, siteById } from '$lib/server/plan';
import { explainedValues, renderingSources, renderPosition } from '$lib/server/profile';
import { siteStanding } from '$core/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const positions = await positionsOf(site.id, Date.now());
	const chosen =
		positions.find(({ id }) => id === url.searchParams.get('position')) ??
		positions.find(({ standing }) => standing === 'stuck') ??
		positions[0] ??
		null;
	return {
		site,
		positions,
		standing: siteStanding(positions.map(({ standing }) => standing)),
		chosen: chosen && {
			...chosen,
			...(await detail(chosen.id)),
			advice: chosen.arrival && adviceOn(chosen.arrival),
			suitable: chosen.arrival ? [] : await unitsFor(chosen.id)
		}
	};
};

async function detail(positionId: string) {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	const rendering = renderPosition(source);
	return {
		rendering: rendering.ok ? { ...rendering, text: maskSecrets(rendering.text) } : rendering,
		values: explainedValues(source).map(({ name, value, scope }) => ({
			name,
			scope,
			value: isSecretName(name) ? MASK : value
		})),
		revisionNumber: source.revisionNumber,
		targetVersion: source.targetVersion
	};
}

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	retry: retryAction(retryRun)
};
