import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import { CHARTED, chartsOf, spanIn } from '$core/health';
import { absencesOf, seriesOf } from '$lib/server/health';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

/** How one unit does, over a span. */
export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see', unit.customerId);
	const now = timeNow();
	const asked = (name: string) => url.searchParams.get(name);
	const span = spanIn({ span: asked('span'), from: asked('from'), to: asked('to') }, now);
	const [{ grain, series }, absences] = await Promise.all([
		seriesOf([unit.id], span, CHARTED, now),
		absencesOf(unit.id, span, now)
	]);
	const isTable = asked('as') === 'table';
	return {
		unit,
		span,
		grain,
		isTable,
		charts: isTable ? [] : chartsOf(series),
		rows: isTable ? series : [],
		...absences
	};
};
