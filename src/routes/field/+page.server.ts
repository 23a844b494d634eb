import * as v from 'valibot';
import { conflictsOf, dayOf } from '$lib/server/field';
import { demand } from '$lib/server/people/requests';
import type { PageServerLoad } from './$types';

const MOST_TAKEN_ALONG = 20;
const ids = v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(MOST_TAKEN_ALONG));

/** A technician's day. The page keeps it on the phone and works from there without signal. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'bind');
	depends('limen:live');
	const also = v.safeParse(ids, url.searchParams.getAll('site'));
	const person = locals.person!;
	const [day, conflicts] = await Promise.all([
		dayOf(person.id, also.success ? also.output : [], Date.now()),
		conflictsOf(person.id)
	]);
	return { day, conflicts };
};
