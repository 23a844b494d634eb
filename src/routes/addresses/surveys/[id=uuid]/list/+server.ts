import { error } from '@sveltejs/kit';
import { listFile } from '$lib/server/list-response';
import { demand, maySee } from '$lib/server/people';
import { newestMap, surveyById, surveyRows } from '$lib/server/survey';
import type { RequestHandler } from './$types';

/** All that a survey found last, with what each is plugged into, as CSV or XLSX. */
export const GET: RequestHandler = async ({ params, locals, url }) => {
	demand(locals, 'reach units');
	const survey = await surveyById(params.id!);
	const newest = survey && maySee(locals, 'reach units', survey.customerId) && (await newestMap(survey.id));
	if (!newest) error(404, 'There is no such survey.');
	return listFile('survey', surveyRows(newest.map), url.searchParams.get('as') === 'xlsx');
};
