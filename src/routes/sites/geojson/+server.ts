import { database } from '$lib/server/database';
import { demand } from '$lib/server/people';
import { standingSites, sitesAsGeoJson } from '$lib/server/plan';
import type { RequestHandler } from './$types';

/** The sites that one sees, as GeoJSON. */
export const GET: RequestHandler = async ({ locals }) => {
	demand(locals, 'see');
	const { customerId } = locals;
	const sites = await standingSites(database(), (query) =>
		customerId ? query.where('site.customer_id', customerId) : query
	);
	return new Response(JSON.stringify(sitesAsGeoJson(sites)), {
		headers: {
			'content-type': 'application/geo+json',
			'content-disposition': 'attachment; filename="sites.geojson"'
		}
	});
};
