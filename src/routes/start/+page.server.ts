import { redirect } from '@sveltejs/kit';
import type { PageServerLoad } from './$types';

/** Where somebody begins who has just come in: who is a technician and nothing else at their own day. */
export const load: PageServerLoad = ({ locals }) => {
	const { administrator = false, duties = {} } = locals.person ?? {};
	const all = Object.values(duties);
	redirect(
		303,
		!administrator && all.length > 0 && all.every((duty) => duty === 'technician') ? '/day' : '/'
	);
};
