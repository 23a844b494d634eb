import { error } from '@sveltejs/kit';
import { GATEKEEPER, runAs } from '$lib/server/database';
import { calendarOf, calendarOwner } from '$lib/server/plan';
import { currentSettings, publicUrl } from '$lib/server/settings';
import type { RequestHandler } from './$types';

/** A technician's appointments for their calendar program. Its address is all that it asks for. */
export const GET: RequestHandler = async ({ params }) => {
	const token = params.token.replace(/\.ics$/, '');
	const personId = await runAs(GATEKEEPER, () => calendarOwner(token));
	if (!personId) error(404, 'There is no such calendar. A new address can be had in the account.');
	const text = await runAs({ kind: 'person', personId }, () =>
		calendarOf(personId, publicUrl(currentSettings()))
	);
	return new Response(text, {
		headers: { 'content-type': 'text/calendar; charset=utf-8', 'cache-control': 'private, max-age=300' }
	});
};
