import { error } from '@sveltejs/kit';
import { packText } from '$lib/server/packs';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** A pack as it was loaded, to the letter. */
export const GET: RequestHandler = async ({ params, locals }) => {
	demand(locals, 'see profiles');
	const pack = await packText(params.id);
	if (!pack) error(404, 'There is no such pack.');
	return new Response(pack.text, {
		headers: {
			'content-type': 'application/json; charset=utf-8',
			'content-disposition': `attachment; filename="${pack.maker}-${pack.version}.json"`
		}
	});
};
