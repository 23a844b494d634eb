import { error } from '@sveltejs/kit';
import { listFile } from '$lib/server/list-response';
import { printedReport } from '$lib/server/paper';
import { demand } from '$lib/server/people';
import { itemsOfRollout, rolloutById, rolloutDocument, rolloutRows } from '$lib/server/rollout';
import type { RequestHandler } from './$types';

/** A rollout to take away: its units as CSV or XLSX, or what came of it as a document (PDF). */
export const GET: RequestHandler = async ({ locals, params, url }) => {
	demand(locals, 'see renderings');
	const rollout = await rolloutById(params.id);
	if (!rollout) error(404, 'There is no such rollout.');
	const name = `rollout-${rollout.id.slice(0, 8)}`;
	const wanted = url.searchParams.get('as');
	if (wanted !== 'pdf')
		return listFile(name, rolloutRows(await itemsOfRollout(rollout.id)), wanted === 'xlsx');
	return new Response(new Uint8Array(await printedReport(await rolloutDocument(rollout))), {
		headers: {
			'content-type': 'application/pdf',
			'content-disposition': `attachment; filename="${name}.pdf"`
		}
	});
};
