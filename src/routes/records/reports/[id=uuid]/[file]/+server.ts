import { error } from '@sveltejs/kit';
import { REPORT_FILES, type ReportFile } from '$core/report';
import { demand } from '$lib/server/people';
import { reportFile } from '$lib/server/reports';
import type { RequestHandler } from './$types';

/** A file of a report, as it was made: to be read (pdf), or its figures (xlsx with a sheet for each table, csv with one below the other). */
export const GET: RequestHandler = async ({ locals, params }) => {
	demand(locals, 'see');
	if (!Object.hasOwn(REPORT_FILES, params.file)) error(404, 'A report has no such file.');
	const kind = params.file as ReportFile;
	const file = await reportFile(params.id, kind);
	if (!file) error(404, 'There is no such report any more, or it is not made yet.');
	return new Response(new Uint8Array(file.content), {
		headers: {
			'content-type': REPORT_FILES[kind],
			'content-disposition': `${kind === 'pdf' ? 'inline' : 'attachment'}; filename="${file.name}"`
		}
	});
};
