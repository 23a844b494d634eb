import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { networkTexts } from '$core/bootstrap';
import { redirectServer } from '$lib/server/certificates';
import { siteById } from '$lib/server/plan';
import type { PageServerLoad } from './$types';

/** A host name or an address, as a network may know Limen by. */
const LONGEST_NAME = 200;
const placeSchema = v.pipe(
	v.string(),
	v.trim(),
	v.maxLength(LONGEST_NAME),
	v.union([
		v.pipe(v.string(), v.ip()),
		v.pipe(v.string(), v.regex(/^(?!-)[A-Za-z0-9-]{1,63}(?:\.[A-Za-z0-9-]{1,63})*$/))
	])
);

/** For whoever looks after a site's network. `?at=` where that network reaches Limen in another way than the rest. */
export const load: PageServerLoad = async ({ params, url }) => {
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const usual = redirectServer();
	const asked = url.searchParams.get('at') ?? '';
	const at = v.safeParse(placeSchema, asked);
	return {
		site,
		at: asked.slice(0, LONGEST_NAME) || usual.name,
		problem: asked !== '' && !at.success ? 'That is neither an address nor a host name.' : null,
		texts: networkTexts(at.success ? { ...usual, name: at.output } : usual)
	};
};
