import { allImages, firmwareLines } from '$lib/server/firmware';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see images');
	depends('limen:live');
	const [images, lines] = await Promise.all([allImages(), firmwareLines()]);
	return {
		lines,
		images: images.map(({ sha256, ...image }) => ({ ...image, sha256: sha256.toString('hex') }))
	};
};
