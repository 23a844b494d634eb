import { intendedBetween, whyWords } from '$lib/server/drift';
import { customersWhere, demand } from '$lib/server/people';
import { spanIn } from './span';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url }) => {
	demand(locals, 'see renderings');
	const span = spanIn(url);
	const report = await intendedBetween(customersWhere(locals, 'see renderings', locals.customerId), span);
	return {
		...span,
		query: url.search,
		report: {
			...report,
			units: report.units.map((unit) => ({
				...unit,
				standing: {
					...unit.standing,
					spans: unit.standing.spans.map((one) => ({ ...one, why: whyWords(one.why) }))
				}
			}))
		}
	};
};
