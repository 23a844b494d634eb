import { redirect } from '@sveltejs/kit';
import { SESSION_COOKIE, signOut } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Ends one's own session. */
export const POST: RequestHandler = async ({ locals, cookies }) => {
	if (locals.person) await signOut(locals.person.sessionId);
	cookies.delete(SESSION_COOKIE, { path: '/' });
	redirect(303, '/sign-in');
};
