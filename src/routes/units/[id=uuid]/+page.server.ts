import { error, fail } from '@sveltejs/kit';
import { maskSecrets } from '$core/profile';
import { correctClaimCode, giveUp, predecessorsOf, unitById } from '$lib/server/intake';
import { actorOf, maySee } from '$lib/server/people';
import { askAgain } from '$lib/server/people/requests';
import {
	adviceOn,
	arrivalsOf,
	bindUnit,
	eventsOfUnit,
	isConnected,
	lastServed,
	retryRun,
	returnToService,
	unbindUnit,
	withWarnings
} from '$lib/server/onboarding';
import { bindAction, retryAction, unbindAction } from '$lib/server/onboarding/actions';
import { openPositionsFor } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	const [events, served, [arrival = null], open, predecessors] = await Promise.all([
		eventsOfUnit(unit.id),
		maySee(locals, 'see renderings', unit.customerId) ? lastServed(unit.id) : undefined,
		unit.runId ? arrivalsOf([unit.runId]) : Promise.resolve([]),
		unit.positionId ? Promise.resolve([]) : openPositionsFor(unit.id),
		predecessorsOf(unit.id)
	]);
	return {
		unit,
		arrival,
		events,
		open: await withWarnings(open, ({ id }) => ({ unitId: unit.id, positionId: id })),
		// The position whose card was scanned after this unit's label
		wanted: open.find(({ id }) => id === url.searchParams.get('to'))?.id ?? null,
		predecessors,
		connected: isConnected(unit.id),
		served: served ? { ...served, rendering: maskSecrets(served.rendering) } : null,
		advice: arrival && adviceOn(arrival)
	};
};

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	retry: retryAction(retryRun),
	service: async (event) => {
		const act = await returnToService(event.params.id!, actorOf(event));
		return act.ok ? { said: 'It can be bound again.' } : fail(409, { problem: act.problem });
	},
	giveUp: async (event) => {
		const unit = await unitById(event.params.id!);
		const fields = Object.fromEntries(await event.request.formData());
		const actor = actorOf(event);
		const asked =
			unit && actor.may('claim', unit.customerId)
				? await askAgain(event, fields, {
						words: `${unit.serial} is given up: ${unit.makerName}’s registry releases it, and whoever has it can claim it. What is known of it here stays.`,
						sites: []
					})
				: null;
		if (asked) return asked;
		const act = await giveUp(event.params.id!, actor);
		return act.ok ? { said: 'It is given up.' } : fail(409, { problem: act.problem });
	},
	code: async (event) => {
		const code = (await event.request.formData()).get('code');
		const act = await correctClaimCode(event.params.id, typeof code === 'string' ? code : '', actorOf(event));
		return act.ok
			? { said: 'Corrected. Its next call is checked against the new code.' }
			: fail(400, { problem: act.problem });
	}
};
