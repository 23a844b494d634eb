import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { handoversZip, MOST_ZIPPED } from '$lib/server/handover';
import type { RequestHandler } from './$types';

const idsSchema = v.pipe(
	v.array(v.pipe(v.string(), v.uuid())),
	v.minLength(1, 'Choose at least one handover.'),
	v.maxLength(MOST_ZIPPED, `At most ${MOST_ZIPPED} handovers at once.`)
);

/** Many handovers as one ZIP. */
export const GET: RequestHandler = async ({ url }) => {
	const ids = v.safeParse(idsSchema, url.searchParams.getAll('id'));
	if (!ids.success) error(400, ids.issues[0].message);
	const act = await handoversZip(ids.output);
	if (!act.ok) error(404, act.problem);
	return new Response(act.done as BodyInit, {
		headers: {
			'content-type': 'application/zip',
			'content-disposition': 'attachment; filename="handovers.zip"',
			'cache-control': 'private, no-store'
		}
	});
};
