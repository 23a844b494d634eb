import { redirect } from '@sveltejs/kit';
import { fromOf, SESSION_COOKIE, signOut } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Ends one's own session. */
export const POST: RequestHandler = async (event) => {
	const { locals, cookies } = event;
	if (locals.person) await signOut(locals.person, fromOf(event));
	cookies.delete(SESSION_COOKIE, { path: '/' });
	redirect(303, '/sign-in');
};
