import { error } from '@sveltejs/kit';
import { fetcherOf, findImage, imageResponse, VERSION_FORM } from '$lib/server/firmware';
import type { RequestHandler } from './$types';

/**
 * A firmware image for the unit whose ticket is in the address, while it is to have it; whole or a range of it. Whoever
 * has no ticket learns nothing of which images there are. One that is withdrawn is given to nobody, begun or not.
 */
export const GET: RequestHandler = async ({ params: { line, version }, request, url }) => {
	const unit = VERSION_FORM.test(version)
		? await fetcherOf(line, version, url.searchParams.get('ticket'))
		: null;
	if (!unit) error(404, 'There is no such image.');
	const image = await findImage(line, version);
	if (!image) error(404, 'There is no such image.');
	if (image.state === 'withdrawn') error(410, 'This image was withdrawn.');
	return (
		(await imageResponse(image, request, unit.siteId)) ??
		error(404, 'The file of this image is missing; upload it again.')
	);
};
