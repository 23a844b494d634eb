import { error } from '@sveltejs/kit';
import { findFile } from '$lib/server/profile';
import type { RequestHandler } from './$types';

/** A file that goes with a released profile, for units: to whoever knows its hash and its name. */
export const GET: RequestHandler = async ({ params: { hash, name } }) => {
	const text = await findFile(hash, name);
	if (text === null) error(404, 'There is no such file.');
	return new Response(text, {
		headers: {
			'content-type': 'application/octet-stream',
			etag: `"${hash}"`,
			'cache-control': 'public, max-age=31536000, immutable'
		}
	});
};
