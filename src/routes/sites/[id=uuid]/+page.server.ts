import { error, fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { unitsFor } from '$lib/server/intake';
import { database } from '$lib/server/database';
import { adviceOn, bindUnit, retryRun, swapUnit, unbindUnit } from '$lib/server/onboarding';
import {
	bindAction,
	retryAction,
	revealAction,
	swapAction,
	unbindAction
} from '$lib/server/onboarding/actions';
import { actorOf, maySee } from '$lib/server/people';
import { followProfile, positionsOf, siteById } from '$lib/server/plan';
import {
	allProfiles,
	previewOf,
	renderingSources,
	revealSecret,
	type RenderingSource
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
			suitable: await unitsFor(chosen.id)
		}
	};
};

async function detail(positionId: string, all: boolean) {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	return all
		? { preview: previewOf(source), profiles: await otherProfiles(source) }
		: { preview: null, profiles: [] };
}

/** Profiles that a position could follow instead. */
const otherProfiles = async ({ profileId, roleId }: RenderingSource) =>
	(await allProfiles())
		.filter((profile) => profile.roleId === roleId && profile.id !== profileId)
		.map(({ id, name }) => ({ id, name }));

const id = v.pipe(v.string(), v.uuid());
const followSchema = v.object({ position: id, profile: id });

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	swap: swapAction(swapUnit),
	retry: retryAction(retryRun),
	reveal: revealAction(revealSecret),
	follow: async (event) => {
		const parsed = v.safeParse(followSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: 'Choose a profile.' });
		const act = await followProfile(parsed.output.position, parsed.output.profile, actorOf(event));
		return act.ok
			? { said: 'It follows the other profile now. Nothing was sent.' }
			: fail(409, { problem: act.problem });
	}
};
