import { RUN_STEPS } from '$core/onboarding';
import { callersAtDoor } from '$lib/server/door';
import { arrivals, retryRun, stepCounts } from '$lib/server/onboarding';
import { retryAction } from '$lib/server/onboarding/actions';
import type { Actions, PageServerLoad } from './$types';

/** What a screen holds; the page fetches the rest when it is up. */
const FIRST_ROWS = 40;
const FILTERS = new Set<string>([...RUN_STEPS, 'stuck']);

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	const at = url.searchParams.get('at');
	const [rows, counts, callers] = await Promise.all([
		arrivals({ customerId: locals.customerId, limit: FIRST_ROWS }),
		stepCounts(locals.customerId),
		callersAtDoor(locals.customerId, 20)
	]);
	return { rows, counts, callers, at: at && FILTERS.has(at) ? at : null };
};

export const actions: Actions = { retry: retryAction(retryRun) };
