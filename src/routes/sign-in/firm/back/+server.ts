import { error, redirect } from '@sveltejs/kit';
import { backFromFirm, firmProvider, fromOf, remember } from '$lib/server/people';
import { FIRM_COOKIE, FIRM_COOKIE_OPTIONS } from '../cookie';
import type { RequestHandler } from './$types';

/** Where the firm's identity provider sends people back to. */
export const GET: RequestHandler = async (event) => {
	const { cookies, locals, url } = event;
	if (!firmProvider()) error(404, 'Nobody comes in through the firm here.');
	const kept = cookies.get(FIRM_COOKIE);
	cookies.delete(FIRM_COOKIE, FIRM_COOKIE_OPTIONS);
	const came = await backFromFirm(url, kept, fromOf(event));
	if (!came.ok) {
		const told = new URLSearchParams({ firm: came.why, ...(came.back && { back: came.back }) });
		redirect(303, `${locals.person ? '/sign-in/firm/confirmed' : '/sign-in'}?${told}`);
	}
	if (came.token !== null) remember(event, came.token);
	redirect(303, came.back);
};
