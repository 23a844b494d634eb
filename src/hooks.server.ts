import { randomUUID } from 'node:crypto';
import type { Handle, HandleServerError, ServerInit } from '@sveltejs/kit';
import { may } from '$core/people';
import { checkKeys, closeDatabase, runAs } from '$lib/server/database';
import { startRegistries, stopRegistries } from '$lib/server/intake';
import { startHub, stopHub } from '$lib/server/live';
import { log } from '$lib/server/log';
import { startMail, stopMail } from '$lib/server/mail';
import { countRequest, startMetrics, stopMetrics } from '$lib/server/metrics';
import { startCallHome, stopCallHome } from '$lib/server/onboarding';
import { admit, isForUnits } from '$lib/server/people';

export const init: ServerInit = async () => {
	await checkKeys();
	await startHub();
	await startCallHome();
	await startMetrics();
	startMail();
	startRegistries();
	process.once('sveltekit:shutdown', () => {
		stopCallHome();
		stopMail();
		stopRegistries();
		stopMetrics();
		void stopHub().then(closeDatabase);
	});
};

/** What a request may carry, in bytes; only the upload of images may carry more, and counts for itself. */
const LARGEST_BODY = 4 * 1024 * 1024;
const UPLOADS = /^\/upkeep$/;

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

export const handle: Handle = async ({ event, resolve }) => {
	const begun = performance.now();
	event.locals = { requestId: randomUUID(), person: null, program: null, customerId: null };
	const response = refusal(event) ?? (await answer({ event, resolve }));
	setHeaders(event, response.headers);
	const milliseconds = performance.now() - begun;
	countRequest(event.route.id ?? 'none', event.request.method, response.status, milliseconds / 1000);
	if (log.isLevelEnabled('info'))
		log.info(
			{
				request: event.locals.requestId,
				person: event.locals.person?.id ?? event.locals.program?.tokenId,
				method: event.request.method,
				// The route and not the address: an address can hold a link's token or what somebody looks for
				route: event.route.id,
				status: response.status,
				milliseconds: Math.round(milliseconds)
			},
			'request'
		);
	return response;
};

type Event = Parameters<Handle>[0]['event'];

function setHeaders({ url, locals }: Event, headers: Headers): void {
	headers.set('x-content-type-options', 'nosniff');
	headers.set('x-request-id', locals.requestId);
	// The rest is for browsers
	if (isForUnits(url.pathname)) return;
	headers.set('x-frame-options', 'DENY');
	if (!headers.has('referrer-policy')) headers.set('referrer-policy', 'same-origin');
	headers.set('cross-origin-opener-policy', 'same-origin');
	headers.set('permissions-policy', 'camera=(self), geolocation=(), microphone=()');
	if (url.protocol === 'https:') headers.set('strict-transport-security', 'max-age=31536000');
	if (locals.person && !headers.has('cache-control')) headers.set('cache-control', 'private, no-store');
}

function refusal({ request, url }: Event): Response | null {
	// PostgreSQL's text holds no NUL, and no address of ours has one
	if (/%00/.test(url.pathname + url.search))
		return new Response('An address cannot hold a NUL character.', { status: 400 });
	const length = Number(request.headers.get('content-length') ?? 0);
	if (length > LARGEST_BODY && !UPLOADS.test(url.pathname))
		return new Response(
			`A request may carry ${LARGEST_BODY / 1024 / 1024} MB at most; this one has ${Math.ceil(length / 1024 / 1024)} MB. Nothing was changed.`,
			{ status: 413 }
		);
	return null;
}

/** Answers as whoever asks; who may not come in is sent to the door. */
async function answer({ event, resolve }: Parameters<Handle>[0]): Promise<Response> {
	const admitted = await admit(event);
	if (admitted instanceof Response) return admitted;
	const { person } = (event.locals = { ...event.locals, ...admitted.locals });
	const chosen = event.cookies.get('customer');
	if (chosen && person && UUID.test(chosen) && may(person, 'see', chosen)) event.locals.customerId = chosen;
	return runAs(admitted.identity, async () => resolve(event));
}

export const handleError: HandleServerError = ({ error, event, status, message }) => {
	if (status !== 404)
		log.error(
			{
				request: event.locals.requestId,
				route: event.route.id,
				error: error instanceof Error ? error.stack : String(error)
			},
			'request failed'
		);
	return {
		message: status === 404 ? message : 'Limen could not do this just now. Nothing was changed; try again.'
	};
};
