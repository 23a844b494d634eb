import { error } from '@sveltejs/kit';
import { formAction } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import {
	endSchedule,
	keptReports,
	reportScheduleById,
	saveSchedule,
	scheduleFormSchema,
	scheduleSchema
} from '$lib/server/reports';
import type { Actions, PageServerLoad } from './$types';

/** A report that is sent again and again: what it tells, to whom, and those that were sent. */
export const load: PageServerLoad = async ({ locals, params, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const [schedule, kept] = await Promise.all([
		reportScheduleById(params.id),
		keptReports({ scheduleId: params.id })
	]);
	if (!schedule) error(404, 'There is no such schedule any more.');
	return { schedule, kept, maySend: maySee(locals, 'send reports', schedule.customerId) };
};

export const actions: Actions = {
	save: formAction(scheduleFormSchema, { of: 'send reports', act: saveSchedule, said: 'It is changed.' }),
	end: formAction(scheduleSchema, {
		of: 'send reports',
		act: endSchedule,
		goes: () => '/records/reports'
	})
};
