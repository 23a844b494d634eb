import { FIRM_REFUSALS, type FirmRefusal } from '$lib/server/people';
import type { PageServerLoad } from './$types';

/** Beside the page whose question is answered by it: whether it is them. */
export const load: PageServerLoad = ({ url }) => {
	const why = url.searchParams.get('firm');
	if (why === null) return { refused: null };
	return {
		refused: Object.hasOwn(FIRM_REFUSALS, why) ? FIRM_REFUSALS[why as FirmRefusal] : FIRM_REFUSALS.untrue
	};
};
