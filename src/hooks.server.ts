import type { Handle, HandleServerError, ServerInit } from '@sveltejs/kit';
import { closeDatabase } from '$lib/server/database';
import { startHub, stopHub } from '$lib/server/live';
import { log } from '$lib/server/log';
import { startCallHome, stopCallHome } from '$lib/server/onboarding';

export const init: ServerInit = async () => {
	await startHub();
	await startCallHome();
	process.once('sveltekit:shutdown', () => {
		stopCallHome();
		void stopHub().then(closeDatabase);
	});
};

/** What a request may carry, in bytes; only the upload of images may carry more, and counts for itself. */
const LARGEST_BODY = 4 * 1024 * 1024;
const UPLOADS = /^\/upkeep$/;

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

export const handle: Handle = async ({ event, resolve }) => {
	const chosen = event.cookies.get('customer');
	event.locals.customerId = chosen && UUID.test(chosen) ? chosen : null;
	const { request, url } = event;
	// PostgreSQL's text holds no NUL, and no address of ours has one
	if (/%00/.test(url.pathname + url.search))
		return new Response('An address cannot hold a NUL character.', { status: 400 });
	const length = Number(request.headers.get('content-length') ?? 0);
	if (length > LARGEST_BODY && !UPLOADS.test(url.pathname))
		return new Response(
			`A request may carry ${LARGEST_BODY / 1024 / 1024} MB at most; this one has ${Math.ceil(length / 1024 / 1024)} MB. Nothing was changed.`,
			{ status: 413 }
		);
	const response = await resolve(event);
	response.headers.set('x-content-type-options', 'nosniff');
	response.headers.set('x-frame-options', 'DENY');
	response.headers.set('referrer-policy', 'same-origin');
	return response;
};

export const handleError: HandleServerError = ({ error, event, status, message }) => {
	if (status !== 404)
		log.error(
			{ path: event.url.pathname, error: error instanceof Error ? error.stack : String(error) },
			'request failed'
		);
	return {
		message: status === 404 ? message : 'Limen could not do this just now. Nothing was changed; try again.'
	};
};
