import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import {
	periodBefore,
	PERIODS,
	REPORT_PARTS_IN_ORDER,
	reportSchema,
	USUAL_FIGURES,
	type Period
} from '$core/report';
import { cohorts } from '$lib/server/cohorts';
import { formAction } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import {
	askForReport,
	keptReports,
	previewReport,
	reportFormSchema,
	reportSchedules,
	saveSchedule,
	scheduleFormSchema,
	zoneOf
} from '$lib/server/reports';
import type { Actions, PageServerLoad } from './$types';

/** A report is chosen by its address, and shown as it will be; with those that were made, and that are sent regularly. */
export const load: PageServerLoad = async ({ locals, url: { searchParams: search }, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const today = new Date(timeNow()).toISOString().slice(0, 10);
	const usual = periodBefore('month', today);
	const asked = {
		customer: search.has('customer') ? search.get('customer') || null : locals.customerId,
		cohort: search.get('cohort') || null,
		parts: search.getAll('part'),
		figures: search.getAll('figure'),
		from: search.get('from') || usual.from,
		to: search.get('to') || usual.to
	};
	const read = v.safeParse(reportSchema, asked);
	const isAsked = asked.parts.length > 0;
	const { customer } = asked;
	const told = (of: string | null) => ({
		records: maySee(locals, 'see records', of),
		renderings: maySee(locals, 'see renderings', of)
	});
	const made = isAsked && read.success ? await previewReport(read.output, told(read.output.customer)) : null;
	if (isAsked && read.success && !made) error(404, 'There is no such customer or cohort.');
	const [of, groups, schedules, kept, zone] = await Promise.all([
		customers(),
		cohorts(null),
		reportSchedules(locals.customerId),
		keptReports({ customerId: locals.customerId }),
		zoneOf(read.success ? read.output.customer : locals.customerId)
	]);
	return {
		customers: of,
		cohorts: groups.map(({ id, name, customerId, customer: whose }) => ({
			id,
			name,
			customerId,
			customer: whose
		})),
		told: told(null),
		asked: {
			...asked,
			parts: REPORT_PARTS_IN_ORDER.filter((part) => asked.parts.includes(part)),
			figures: read.success ? read.output.figures : USUAL_FIGURES
		},
		periods: (Object.keys(PERIODS) as Period[]).map((name) => ({ name, ...periodBefore(name, today) })),
		problem: isAsked && !read.success ? read.issues[0].message : null,
		maySend: maySee(locals, 'send reports', customer),
		made,
		schedules,
		kept,
		zone
	};
};

export const actions: Actions = {
	make: formAction(reportFormSchema, {
		of: 'see',
		act: askForReport,
		goes: ({ id }) => `/records/reports/${id}`
	}),
	schedule: formAction(scheduleFormSchema, {
		of: 'send reports',
		act: saveSchedule,
		goes: ({ id }) => `/records/reports/schedules/${id}`
	})
};
