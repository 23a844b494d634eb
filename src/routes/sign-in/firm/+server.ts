import { error, redirect } from '@sveltejs/kit';
import { ownPath } from '$lib/server/own-path';
import { beginAtFirm, firmProvider } from '$lib/server/people';
import { FIRM_COOKIE, FIRM_COOKIE_OPTIONS } from './cookie';
import type { RequestHandler } from './$types';

/**
 * Sends somebody to the firm's identity provider: to come in, as somebody else than before (`another`), or
 * to show that it is still them (`again`).
 */
export const GET: RequestHandler = async ({ cookies, locals, url }) => {
	if (!firmProvider()) error(404, 'Nobody comes in through the firm here.');
	const again = url.searchParams.has('again') ? (locals.person?.sessionId ?? null) : null;
	const back = again
		? '/sign-in/firm/confirmed'
		: url.searchParams.has('back')
			? ownPath(url.searchParams.get('back'))
			: '/start';
	const begun = await beginAtFirm(back, again, again !== null || url.searchParams.has('another'));
	if (!begun.ok)
		redirect(303, again ? `/sign-in/firm/confirmed?firm=${begun.why}` : `/sign-in?firm=${begun.why}`);
	cookies.set(FIRM_COOKIE, begun.kept, { ...FIRM_COOKIE_OPTIONS, secure: url.protocol === 'https:' });
	redirect(303, begun.url);
};
