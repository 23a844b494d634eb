import { error } from '@sveltejs/kit';
import { isSecretName, MASK } from '$core/profile';
import { unitsFor } from '$lib/server/intake';
import { database } from '$lib/server/database';
import { adviceOn, bindUnit, retryRun, unbindUnit } from '$lib/server/onboarding';
import { bindAction, retryAction, revealAction, unbindAction } from '$lib/server/onboarding/actions';
import { maySee } from '$lib/server/people';
import { positionsOf, siteById } from '$lib/server/plan';
import {
	explainedValues,
	maskedText,
	renderingSources,
	renderPosition,
	revealSecret
} from '$lib/server/profile';
import { siteStanding } from '$core/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
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
			...(await detail(chosen.id, maySee(locals, 'see renderings', site.customerId))),
			advice: chosen.arrival && adviceOn(chosen.arrival),
			suitable: chosen.arrival ? [] : await unitsFor(chosen.id)
		}
	};
};

async function detail(positionId: string, all: boolean) {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	const rendering = renderPosition(source);
	return {
		rendering: !all
			? null
			: rendering.ok
				? { ...rendering, text: maskedText(source, rendering.text) }
				: rendering,
		values: (all ? explainedValues(source) : []).map(({ name, value, scope }) => ({
			name,
			scope,
			secret: isSecretName(name),
			value: isSecretName(name) ? MASK : value
		})),
		revisionNumber: source.revisionNumber,
		targetVersion: source.targetVersion
	};
}

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	retry: retryAction(retryRun),
	reveal: revealAction(revealSecret)
};
