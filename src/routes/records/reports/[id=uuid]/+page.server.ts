import { error } from '@sveltejs/kit';
import { formAction } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import { keptReport, sendingSchema, sendReport } from '$lib/server/reports';
import type { Actions, PageServerLoad } from './$types';

/** A report as it was made, with its files, and to whom it went. */
export const load: PageServerLoad = async ({ locals, params, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const report = await keptReport(params.id);
	if (!report) error(404, 'There is no such report any more.');
	return { report, maySend: maySee(locals, 'send reports', report.customerId) };
};

export const actions: Actions = {
	send: formAction(sendingSchema, {
		of: 'send reports',
		act: sendReport,
		said: ({ count }) => `It is sent to ${count === 1 ? 'one address' : `${count} addresses`}.`
	})
};
