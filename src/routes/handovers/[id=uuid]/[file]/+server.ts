import { error } from '@sveltejs/kit';
import { HANDOVER_FILES, handoverFile, isHandoverFile } from '$lib/server/handover';
import type { RequestHandler } from './$types';

/** A file of a handover, to the letter as it was sealed. */
export const GET: RequestHandler = async ({ params: { id, file } }) => {
	const octets = isHandoverFile(file) ? await handoverFile(id, file) : null;
	if (!octets || !isHandoverFile(file)) error(404, 'There is no such handover.');
	return new Response(octets as BodyInit, {
		headers: {
			'content-type': HANDOVER_FILES[file].type,
			'content-disposition': `${file === 'handover.pdf' ? 'inline' : 'attachment'}; filename="${file}"`,
			'cache-control': 'private, no-store'
		}
	});
};
