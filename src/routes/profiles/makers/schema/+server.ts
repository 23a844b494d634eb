import { packJsonSchema } from '$lib/server/packs';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** The form of a pack, as JSON Schema. */
export const GET: RequestHandler = ({ locals }) => {
	demand(locals, 'see profiles');
	return new Response(packJsonSchema(), {
		headers: { 'content-type': 'application/schema+json; charset=utf-8' }
	});
};
