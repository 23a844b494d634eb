import { redirect } from '@sveltejs/kit';
import { fromOf, SESSION_COOKIE, signOut, waysToConfirm } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Ends one's own session. Whoever the firm's provider knows is told that it still does. */
export const POST: RequestHandler = async (event) => {
	const { locals, cookies } = event;
	const isOfFirm = locals.person !== null && (await waysToConfirm(locals.person.id)).isOfFirm;
	if (locals.person) await signOut(locals.person, fromOf(event));
	cookies.delete(SESSION_COOKIE, { path: '/' });
	redirect(303, isOfFirm ? '/sign-in?out' : '/sign-in');
};
