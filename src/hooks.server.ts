import { randomUUID } from 'node:crypto';
import type { Handle, HandleServerError, ServerInit } from '@sveltejs/kit';
import { may } from '$core/people';
import { CUSTOMER_HEADER } from '$lib/server/api';
import { runAs } from '$lib/server/database';
import { beginLife, endLife } from '$lib/server/life';
import { log } from '$lib/server/log';
import { countRequest } from '$lib/server/metrics';
import { admit, gateOf } from '$lib/server/people';
import { failed, failureOf, refusalBeforehand, refuseRequest, tellNoForm } from '$lib/server/refusal';

export const init: ServerInit = async () => {
	await beginLife();
	// The process waits for it (command/serve)
	process.once(
		'sveltekit:shutdown',
		() =>
			void endLife()
				.catch((error: Error) => log.warn({ error: error.message }, 'not all ended in order'))
				.finally(() => process.emit('limen:ended' as 'SIGTERM', 'SIGTERM'))
	);
};

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

export const handle: Handle = async ({ event, resolve }) => {
	const begun = performance.now();
	event.locals = { requestId: randomUUID(), person: null, program: null, customerId: null };
	tellNoForm(event.request);
	const response = refusalBeforehand(event) ?? (await answer({ event, resolve }));
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

function setHeaders(event: Event, headers: Headers): void {
	const { url, locals } = event;
	headers.set('x-content-type-options', 'nosniff');
	headers.set('x-request-id', locals.requestId);
	// The rest is for browsers
	if (gateOf(event) === 'units') return;
	headers.set('x-frame-options', 'DENY');
	if (!headers.has('referrer-policy')) headers.set('referrer-policy', 'same-origin');
	headers.set('cross-origin-opener-policy', 'same-origin');
	headers.set('permissions-policy', 'camera=(self), geolocation=(), microphone=()');
	if (url.protocol === 'https:') headers.set('strict-transport-security', 'max-age=31536000');
	if (locals.person && !headers.has('cache-control')) headers.set('cache-control', 'private, no-store');
}

/** Answers as whoever asks; who may not come in is sent to sign in. */
async function answer({ event, resolve }: Parameters<Handle>[0]): Promise<Response> {
	try {
		const admitted = await admit(event);
		if (admitted instanceof Response) return admitted;
		const { person } = (event.locals = { ...event.locals, ...admitted.locals });
		const chosen = (
			event.cookies.get('customer') ?? event.request.headers.get(CUSTOMER_HEADER)
		)?.toLowerCase();
		if (chosen && person && UUID.test(chosen) && may(person, 'see', chosen)) event.locals.customerId = chosen;
		const response = await runAs(admitted.identity, async () => resolve(event));
		if (event.locals.failed) return failed(event, event.locals.failed);
		return inTheGatesManner(event, response);
	} catch (error) {
		const failure = failureOf(error);
		if (!failure) throw error;
		return failed(event, failure);
	}
}

const UNHANDLED: Readonly<Record<number, string>> = {
	404: 'There is nothing at this address.',
	405: 'This address does not take this method.',
	413: 'This is more than a request may carry. Nothing was changed.'
};

/** What SvelteKit itself refuses comes as a page or as text; units and programs read neither. */
function inTheGatesManner(event: Event, response: Response): Response {
	const gate = gateOf(event);
	const type = response.headers.get('content-type') ?? '';
	const itsOwn = response.status >= 500 || response.status in UNHANDLED || /^text\/(html|plain)/.test(type);
	if (response.status < 400 || !itsOwn || (gate !== 'programs' && gate !== 'units')) return response;
	if (type.startsWith('application/problem+json') || type.startsWith('application/yang-data'))
		return response;
	const refused = refuseRequest(event, response.status, UNHANDLED[response.status] ?? COULD_NOT);
	const allow = response.headers.get('allow');
	if (allow) refused.headers.set('allow', allow);
	return refused;
}

const COULD_NOT = 'Limen could not do this just now. Nothing was changed; try again.';

export const handleError: HandleServerError = ({ error, event, status, message }) => {
	event.locals.failed = failureOf(error);
	if (status === 413) return { message: 'This is more than a request may carry. Nothing was changed.' };
	const isTheirs = event.locals.failed === 'input' || event.locals.failed === 'form';
	if (status >= 500 && !isTheirs)
		log.error(
			{
				request: event.locals.requestId,
				route: event.route.id,
				error: error instanceof Error ? error.stack : String(error)
			},
			'request failed'
		);
	return {
		message: status === 404 ? message : COULD_NOT
	};
};
