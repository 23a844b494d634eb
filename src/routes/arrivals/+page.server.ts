import { timeNow } from '$lib/server/database';
import * as v from 'valibot';
import { RUN_STEPS } from '$core/onboarding';
import { counted } from '$core/text';
import { formAction, oneId } from '$lib/server/forms';
import { callersAtDoor, likelyPair, turnedAway, askAction, awayAction } from '$lib/server/door';
import { arrivals, cameThrough, standingCounts } from '$lib/server/runs';
import { failureGroups, unitsOfGroup, withEnds } from '$lib/server/watch';
import {
	bindUnit,
	retryRun,
	retryUnits,
	unbindUnit,
	withWarnings,
	bindAction,
	retryAction,
	unbindAction
} from '$lib/server/binding';
import type { Actions, PageServerLoad } from './$types';

/** What a screen holds; the page fetches the rest when it is up. */
const FIRST_ROWS = 40;
const WEEK_MS = 7 * 24 * 3_600_000;
const MOST_THROUGH = 1000;
/** A step, or how runs stand; “moving” is all that is under way. */
const FILTERS = new Set<string>([...RUN_STEPS, 'person', 'stuck', 'stalled', 'late', 'moving', 'waiting']);

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	const at = url.searchParams.get('at');
	const week = url.searchParams.get('through') === 'week';
	const group = url.searchParams.get('same');
	const [rows, counts, groups, callers, away, lately] = await Promise.all([
		arrivals({ customerId: locals.customerId, limit: FIRST_ROWS }),
		standingCounts(locals.customerId),
		failureGroups(locals.customerId),
		callersAtDoor(locals.customerId, 20),
		turnedAway(locals.customerId),
		week ? cameThrough(locals.customerId, MOST_THROUGH, new Date(timeNow() - WEEK_MS)).then(withEnds) : null
	]);
	return {
		rows: await withEnds(rows),
		counts,
		groups,
		group,
		callers: await withWarnings(callers, likelyPair),
		away,
		/** What came through in the last seven days, where that was asked for. */
		week: lately,
		at: at && FILTERS.has(at) ? at : null
	};
};

export const actions: Actions = {
	retry: retryAction(retryRun),
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	away: awayAction,
	ask: askAction,
	retryGroup: formAction(v.object({ group: oneId('Which failure?') }), {
		act: async ({ group }, actor, event) =>
			retryUnits(await unitsOfGroup(group, event.locals.customerId), actor),
		said: ({ count }) => `${counted(count, 'unit')} may try again; the bar above says how far that is.`
	})
};
