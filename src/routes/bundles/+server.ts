import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { bundleSchema, makeBundle } from '$lib/server/bootstrap';
import { fieldsOf } from '$lib/server/forms';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Files for removable storage, for units that are named, as one ZIP. */
export const POST: RequestHandler = async (event) => {
	const given = v.safeParse(bundleSchema, { ...fieldsOf(await event.request.formData()) });
	if (!given.success) error(400, given.issues[0].message);
	const act = await makeBundle(given.output, actorOf(event));
	if (!act.ok) error(409, act.problem);
	return new Response(act.done, {
		headers: {
			'content-type': 'application/zip',
			'content-disposition': 'attachment; filename="limen-units.zip"',
			'cache-control': 'private, no-store'
		}
	});
};
