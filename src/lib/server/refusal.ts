import type { RequestEvent } from '@sveltejs/kit';
import { restconfError } from './bootstrap';
import type { ErrorTag } from '../../core/bootstrap';
import { problem } from './problem';
import { gateOf, LARGEST_OPEN_BODY } from './people';

/** What no route is asked for, answered in the manner of the gate: to people in words, to programs and units in theirs. */

/** What a request may carry, in bytes; an image comes by a route of its own and is counted while it is stored. */
const LARGEST_BODY = 4 * 1024 * 1024;
const IMAGE_ROUTE: string = '/upkeep/images/[line]/[version]';
/** A database that restarts is soon back. */
const SOON_SECONDS = 5;
/** What took too long takes as long again: it would keep the threads from all others. */
const LATER_SECONDS = 60;

const TAGS: Readonly<Record<number, ErrorTag>> = {
	400: 'malformed-message',
	401: 'access-denied',
	403: 'access-denied',
	404: 'invalid-value',
	405: 'operation-not-supported',
	406: 'invalid-value',
	411: 'invalid-value',
	413: 'too-big',
	415: 'invalid-value'
};

/** A refusal in the manner of the gate that the request came to. */
export function refuseRequest(event: RequestEvent, status: number, words: string): Response {
	const gate = gateOf(event);
	if (gate === 'programs') return problem(status, words);
	if (gate === 'units') return restconfError(TAGS[status] ?? 'operation-failed', words, 'protocol', status);
	// A form that is sent by SvelteKit's own script reads nothing else
	if (event.request.headers.get('x-sveltekit-action') === 'true')
		return Response.json({ type: 'error', status, error: { message: words } }, { status });
	return new Response(words, { status, headers: { 'content-type': 'text/plain; charset=utf-8' } });
}

/** Why a request is not looked at at all; null when it is. */
export function refusalBeforehand(event: RequestEvent): Response | null {
	const { request, url, route } = event;
	// PostgreSQL's text holds no NUL, and no address of ours has one
	if (/%00/.test(url.pathname + url.search))
		return refuseRequest(event, 400, 'An address cannot hold a NUL character.');
	const gate = gateOf(event);
	if ((gate === 'people' || gate === 'open') && isForgedForm(request, url))
		return refuseRequest(event, 403, 'This form was sent from another site. Nothing was changed.');
	// SvelteKit keeps this name for itself and throws when a request has it
	if (request.method === 'POST' && url.searchParams.has('/default'))
		return refuseRequest(event, 404, 'There is no such form.');
	if (route.id === IMAGE_ROUTE) return null;
	const length = request.headers.get('content-length');
	const most = gate === 'open' ? LARGEST_OPEN_BODY : LARGEST_BODY;
	if (Number(length ?? 0) > most)
		return refuseRequest(
			event,
			413,
			`A request may carry ${size(most)} at most; this one has ${size(Number(length))}. Nothing was changed.`
		);
	if (gate === 'open' && length === null && request.headers.has('transfer-encoding'))
		return refuseRequest(event, 411, 'Say how long the form is (Content-Length).');
	return null;
}

const size = (bytes: number): string =>
	bytes < 1024 * 1024 ? `${Math.ceil(bytes / 1024)} KB` : `${Math.ceil(bytes / 1024 / 1024)} MB`;

const CHANGES: ReadonlySet<string> = new Set(['POST', 'PUT', 'PATCH', 'DELETE']);

/**
 * Whether a page elsewhere makes a browser send this in the name of who is signed in here. A browser says
 * where a request comes from (Fetch standard, Origin); programs and units have no cookie that could be used.
 */
const isForgedForm = (request: Request, url: URL): boolean =>
	CHANGES.has(request.method) && request.headers.get('origin') !== url.origin;

/** The database is starting, recovering or away: codes of PostgreSQL's class 57P, 08 and 53, and of sockets. */
const AWAY = /^(57P0[123]|08\w{3}|53[23]00|ECONNREFUSED|ECONNRESET|EPIPE)$/;

export function isDatabaseAway(error: unknown): boolean {
	const { code, name, message } = (error ?? {}) as { code?: string; name?: string; message?: string };
	return (
		AWAY.test(code ?? '') ||
		name === 'KnexTimeoutError' ||
		/Connection terminated|not queryable|Unable to acquire a connection/.test(message ?? '')
	);
}

/** The answer while the database is away. */
export const databaseAway = (event: RequestEvent): Response =>
	notNow(
		event,
		SOON_SECONDS,
		'The database does not answer just now. Nothing was changed; try again in a few seconds.'
	);

/** The answer where what a request takes was given up: it took too long on this machine, or too much waits already. */
export const tooBusy = (event: RequestEvent): Response =>
	notNow(
		event,
		LATER_SECONDS,
		'This took too long and was given up. Nothing was changed; try again when less is going on.'
	);

/** RFC 9110 section 15.6.4. */
function notNow(event: RequestEvent, again: number, words: string): Response {
	const response = refuseRequest(event, 503, words);
	response.headers.set('retry-after', String(again));
	return response;
}

/** PostgreSQL's data exceptions: a NUL in a text, a date or number out of range. What was sent cannot be kept. */
export const isUnstorable = (error: unknown): boolean =>
	/^22/.test((error as { code?: string } | null)?.code ?? '');

export const unstorable = (event: RequestEvent): Response =>
	refuseRequest(
		event,
		400,
		'Something in this cannot be kept: a character that no text holds, or a date or number out of range. Nothing was changed.'
	);

/** A body that is no form, where a route reads one. */
export class NoForm extends Error {}

/** Lets a route's reading of a form tell what is no form from a fault of ours: undici throws a TypeError for both. */
export function tellNoForm(request: Request): void {
	const read = request.formData.bind(request);
	request.formData = () =>
		read().catch((error: unknown) => {
			throw error instanceof TypeError ? new NoForm(error.message) : error;
		});
}

export const noForm = (event: RequestEvent): Response =>
	refuseRequest(event, 400, 'This is not a form as a browser sends it. Nothing was changed.');
