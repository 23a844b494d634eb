import type { RequestEvent } from '@sveltejs/kit';
import { restconfError } from './bootstrap';
import type { ErrorTag } from '../../core/bootstrap';
import { problem } from './problem';
import { gateOf, LARGEST_OPEN_BODY } from './people';
import { GivenUp } from './threads';

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

/** Why a request failed inside. */
export type Failure = 'database' | 'room' | 'time' | 'input' | 'form';

/** The database is starting, recovering or away: codes of PostgreSQL's class 57P, 08 and 53, and of sockets. */
const AWAY = /^(57P0[123]|08\w{3}|53[23]00|ECONNREFUSED|ECONNRESET|EPIPE)$/;
const AWAY_WORDS = /Connection terminated|not queryable|Unable to acquire a connection/;
/** PostgreSQL's disk_full, and what the system says of a file. */
const FULL = /^(53100|ENOSPC|EDQUOT)$/;
/** PostgreSQL's data exceptions: a NUL in a text, a date or number out of range. What was sent cannot be kept. */
const UNSTORABLE = /^22/;

/** What a route threw, as far as it is none of the application's own faults. */
export function failureOf(error: unknown): Failure | undefined {
	const {
		code = '',
		name,
		message = ''
	} = (error ?? {}) as { code?: string; name?: string; message?: string };
	if (FULL.test(code)) return 'room';
	if (AWAY.test(code) || name === 'KnexTimeoutError' || AWAY_WORDS.test(message)) return 'database';
	if (error instanceof GivenUp) return 'time';
	if (error instanceof NoForm) return 'form';
	return UNSTORABLE.test(code) ? 'input' : undefined;
}

/** How each is answered: when to come again, or what to mend. */
const FAILURES: Readonly<Record<Failure, readonly [status: number, words: string, again?: number]>> = {
	database: [
		503,
		'The database does not answer just now. Nothing was changed; try again in a few seconds.',
		SOON_SECONDS
	],
	room: [
		503,
		'The disk is full: nothing can be kept. Nothing was changed; tell whoever runs Limen, and try again when there is room.',
		LATER_SECONDS
	],
	time: [
		503,
		'This took too long and was given up. Nothing was changed; try again when less is going on.',
		LATER_SECONDS
	],
	input: [
		400,
		'Something in this cannot be kept: a character that no text holds, or a date or number out of range. Nothing was changed.'
	],
	form: [400, 'This is not a form as a browser sends it. Nothing was changed.']
};

/** The answer to a request that failed inside; when to come again by RFC 9110 section 15.6.4. */
export function failed(event: RequestEvent, failure: Failure): Response {
	const [status, words, again] = FAILURES[failure];
	const response = refuseRequest(event, status, words);
	if (again) response.headers.set('retry-after', String(again));
	return response;
}

/** A body that is no form, where a route reads one. */
class NoForm extends Error {}

/** Lets a route's reading of a form tell what is no form from a fault of ours: undici throws a TypeError for both. */
export function tellNoForm(request: Request): void {
	const read = request.formData.bind(request);
	request.formData = () =>
		read().catch((error: unknown) => {
			throw error instanceof TypeError ? new NoForm(error.message) : error;
		});
}
