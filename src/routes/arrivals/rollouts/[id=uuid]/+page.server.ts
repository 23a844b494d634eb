import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { kindTitle } from '$core/rollout';
import { counted } from '$core/text';
import { formAction, oneId } from '$lib/server/forms';
import { lastWorkAbout } from '$lib/server/jobs';
import { demand } from '$lib/server/people';
import {
	beginRollout,
	beginSchema,
	cancelRollout,
	doNow,
	failedAlike,
	goBack,
	goOnWithRollout,
	itemsOfRollout,
	leaveOut,
	lookAtRollout,
	pauseRollout,
	rolloutAhead,
	rolloutById,
	rolloutWindow,
	wavesOfRollout,
	whichIn
} from '$lib/server/rollout';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const rollout = await rolloutById(params.id);
	if (!rollout) error(404, 'There is no such rollout.');
	const isPlanned = rollout.state === 'planned';
	const [ahead, looked, waves, items, alike] = await Promise.all([
		isPlanned ? rolloutAhead(rollout.id, timeNow()) : null,
		isPlanned ? lastWorkAbout(rollout.id) : null,
		isPlanned ? [] : wavesOfRollout(rollout.id),
		isPlanned ? { total: 0, offset: 0, rows: [] } : rolloutWindow(rollout.id, whichIn(url), 0),
		isPlanned ? [] : failedAlike(rollout.id)
	]);
	return {
		rollout,
		ahead,
		looked: looked ?? null,
		waves,
		items,
		alike
	};
};

const nothing = v.object({});
const oneUnit = v.object({ unit: oneId('Which unit?') });
const thisOne = (event: { readonly params: Partial<Record<string, string>> }): string => event.params.id!;

export const actions: Actions = {
	begin: formAction(v.object({ ...beginSchema.entries }), {
		ask: async (_, actor, event) => {
			const rollout = await rolloutById(thisOne(event));
			if (!rollout || rollout.state !== 'planned') return null;
			const { inputs, asksFirst, sites, back } = await rolloutAhead(rollout.id, timeNow());
			if (inputs.items.some(({ customerId }) => !actor.may('send', customerId))) return null;
			return {
				words: `${kindTitle(rollout.kind)}: ${counted(inputs.items.length, 'unit')} at ${counted(sites, 'site')}, each interrupted for a while, inside their windows.${back > 0 ? ` ${counted(back, 'unit')} would get an older firmware.` : ''}`,
				whom:
					asksFirst === 0
						? null
						: asksFirst === 1
							? 'The contact of one site'
							: `Each contact of ${asksFirst} sites`,
				sites: [],
				wantsReason: true
			};
		},
		act: (given, actor, event) =>
			beginRollout(thisOne(event), { ...given, asked: given.asked === 'on' }, actor),
		said: 'It was begun; you can leave this page.'
	}),
	look: formAction(nothing, {
		act: (_, actor, event) => lookAtRollout(thisOne(event), actor),
		goes: ({ id }) => `/work/${id}`
	}),
	throwAway: formAction(nothing, {
		act: (_, actor, event) => cancelRollout(thisOne(event), actor),
		goes: () => '/arrivals/rollouts'
	}),
	pause: formAction(nothing, {
		act: (_, actor, event) => pauseRollout(thisOne(event), actor),
		said: 'It is paused. What is under way comes to its end.'
	}),
	goOn: formAction(nothing, {
		ask: async (_, actor, event) => {
			const rollout = await rolloutById(thisOne(event));
			if (!rollout || rollout.state !== 'stopped') return null;
			return {
				words: `It was stopped: ${rollout.failed} of ${rollout.failed + rollout.done} failed. It goes on with the rest all the same, and what failed until now counts no more.`,
				sites: [],
				wantsReason: true
			};
		},
		act: (_, actor, event) => goOnWithRollout(thisOne(event), actor),
		said: 'It goes on.'
	}),
	end: formAction(nothing, {
		act: (_, actor, event) => cancelRollout(thisOne(event), actor),
		said: 'It is ended. What is under way comes to its end; the rest is as it was.'
	}),
	leaveOut: formAction(oneUnit, {
		act: ({ unit }, actor, event) => leaveOut(thisOne(event), [unit], actor),
		said: 'It is left out.'
	}),
	doNow: formAction(oneUnit, {
		ask: async ({ unit }, actor, event) => {
			const [item] = await itemsOfRollout(thisOne(event), { state: 'waiting', unit });
			if (!item) return null;
			return {
				words: `${item.serial} does not wait for its wave and its window: it is interrupted now.`,
				sites: [item.siteName],
				wantsReason: true
			};
		},
		act: ({ unit }, actor, event) => doNow(thisOne(event), unit, actor),
		said: 'It is done now.'
	}),
	back: formAction(nothing, {
		act: (_, actor, event) => goBack(thisOne(event), actor),
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	})
};
