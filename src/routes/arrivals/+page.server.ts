import { RUN_STEPS } from '$core/onboarding';
import { callersAtDoor, likelyPair, turnedAway } from '$lib/server/door';
import { askAction, awayAction } from '$lib/server/door/actions';
import {
	arrivals,
	bindUnit,
	retryRun,
	standingCounts,
	unbindUnit,
	withWarnings
} from '$lib/server/onboarding';
import { bindAction, retryAction, unbindAction } from '$lib/server/onboarding/actions';
import type { Actions, PageServerLoad } from './$types';

/** What a screen holds; the page fetches the rest when it is up. */
const FIRST_ROWS = 40;
/** A step, or how runs stand; “moving” is all that is under way. */
const FILTERS = new Set<string>([...RUN_STEPS, 'stuck', 'slow', 'moving', 'waiting']);

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	const at = url.searchParams.get('at');
	const [rows, counts, callers, away] = await Promise.all([
		arrivals({ customerId: locals.customerId, limit: FIRST_ROWS }),
		standingCounts(locals.customerId),
		callersAtDoor(locals.customerId, 20),
		turnedAway(locals.customerId)
	]);
	return {
		rows,
		counts,
		callers: await withWarnings(callers, likelyPair),
		away,
		at: at && FILTERS.has(at) ? at : null
	};
};

export const actions: Actions = {
	retry: retryAction(retryRun),
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	away: awayAction,
	ask: askAction
};
