import * as v from 'valibot';
import { periodBefore, PERIODS, REPORT_PARTS_IN_ORDER, reportSchema, type Period } from '$core/report';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { makeReport } from '$lib/server/reports';
import type { PageServerLoad } from './$types';

/** A table on a page shows no more rows; the files have all. */
const MOST_SHOWN = 200;

/** A report is chosen by its address, and shown as it will be. */
export const load: PageServerLoad = async ({ locals, url: { searchParams: search } }) => {
	demand(locals, 'see');
	const today = new Date().toISOString().slice(0, 10);
	const usual = periodBefore('month', today);
	const asked = {
		customer: search.has('customer') ? search.get('customer') || null : locals.customerId,
		parts: search.getAll('part'),
		from: search.get('from') || usual.from,
		to: search.get('to') || usual.to
	};
	const read = v.safeParse(reportSchema, asked);
	const made =
		asked.parts.length > 0 && read.success
			? await makeReport(read.output, { records: maySee(locals, 'see records', read.output.customer) })
			: null;
	return {
		customers: await customers(),
		asked: { ...asked, parts: REPORT_PARTS_IN_ORDER.filter((part) => asked.parts.includes(part)) },
		periods: (Object.keys(PERIODS) as Period[]).map((name) => ({ name, ...periodBefore(name, today) })),
		problem: asked.parts.length > 0 && !read.success ? read.issues[0].message : null,
		made: made && {
			...made,
			blocks: made.blocks.flatMap((block) =>
				block.kind === 'table'
					? [
							{
								...block,
								rows: block.rows.slice(0, MOST_SHOWN),
								more: Math.max(0, block.rows.length - MOST_SHOWN)
							}
						]
					: []
			)
		}
	};
};
