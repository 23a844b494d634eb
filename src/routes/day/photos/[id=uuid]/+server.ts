import { error } from '@sveltejs/kit';
import { photoById } from '$lib/server/day';
import type { RequestHandler } from './$types';

/** A photo from the field, for whoever sees its customer. */
export const GET: RequestHandler = async ({ params }) => {
	const photo = await photoById(params.id);
	if (!photo) error(404, 'There is no such photo.');
	return new Response(new Uint8Array(photo), {
		headers: { 'content-type': 'image/jpeg', 'cache-control': 'private, max-age=86400' }
	});
};
