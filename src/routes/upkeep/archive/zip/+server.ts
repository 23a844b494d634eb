import { error } from '@sveltejs/kit';
import { versionsAsZip } from '$lib/server/archive';
import { customersWhere, demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** Chosen versions as texts in one ZIP, their secrets masked. */
export const GET: RequestHandler = async ({ url, locals }) => {
	demand(locals, 'see renderings');
	const ids = url.searchParams.getAll('version').filter((id) => UUID.test(id));
	const zip =
		ids.length === 0 ? null : await versionsAsZip(ids, customersWhere(locals, 'see renderings', null));
	if (!zip) error(404, 'None of these versions is kept any more.');
	return new Response(zip, {
		headers: {
			'content-type': 'application/zip',
			'content-disposition': 'attachment; filename="configurations.zip"'
		}
	});
};
