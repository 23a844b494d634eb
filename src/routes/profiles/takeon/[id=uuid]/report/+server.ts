import { error } from '@sveltejs/kit';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { reportOfTakeOn, takeOnById } from '$lib/server/takeon';
import type { RequestHandler } from './$types';

/** What became of each unit of a take-on, and why others were left out, as CSV or XLSX. */
export const GET: RequestHandler = async ({ params, locals, url }) => {
	demand(locals, 'see renderings');
	const takeOn = await takeOnById(params.id!);
	if (!takeOn) error(404, 'There is no such take-on.');
	return listFile('take-on', await reportOfTakeOn(takeOn.id), url.searchParams.get('as') === 'xlsx');
};
