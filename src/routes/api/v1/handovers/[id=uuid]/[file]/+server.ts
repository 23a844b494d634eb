import { problem, unlessMay } from '$lib/server/api';
import { HANDOVER_FILES, handoverFile, isHandoverFile } from '$lib/server/handover';
import type { RequestHandler } from './$types';

/** A file of a handover, to the letter as it was sealed. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see');
	if (refused) return refused;
	const { id, file } = event.params;
	const octets = isHandoverFile(file) ? await handoverFile(id.toLowerCase(), file) : null;
	if (!octets || !isHandoverFile(file)) return problem(404, 'There is no such file.');
	return new Response(octets as BodyInit, {
		headers: { 'content-type': HANDOVER_FILES[file].type, 'cache-control': 'no-store' }
	});
};
