import {
	errorBody,
	ERROR_STATUS,
	LARGEST_REQUEST_BYTES,
	YANG_JSON,
	type ErrorTag,
	type ErrorType
} from '../../../core/bootstrap';

/** RESTCONF (RFC 8040) on the outside: media types, bodies and errors. */
export function restconfError(
	tag: ErrorTag,
	message: string,
	type: ErrorType = 'application',
	status: number = ERROR_STATUS[tag]
): Response {
	const headers: Record<string, string> = { 'content-type': YANG_JSON, 'cache-control': 'no-store' };
	if (status === 401) headers['www-authenticate'] = 'Basic realm="limen", charset="UTF-8"';
	return new Response(JSON.stringify(errorBody(type, tag, message)), { status, headers });
}

/** A method that a resource does not take; with those that it does, as RFC 9110 section 10.2.1 writes them. */
export function restconfNotAllowed(allowed: string): Response {
	const response = restconfError('operation-not-supported', `Here is ${allowed} only.`, 'protocol');
	response.headers.set('allow', allowed);
	return response;
}
/** RFC 8040 section 4.1. */
export const restconfOptions = (allowed: string): Response =>
	new Response(null, { headers: { allow: allowed, 'cache-control': 'no-store' } });

/** Whether JSON is among what the caller can read (RFC 9110 section 12.5.1); who does not say can read anything. */
export function readsJson(request: Request): boolean {
	const ranges = (request.headers.get('accept') ?? '*/*').split(',').map((range) => {
		const [type = '', ...parameters] = range.split(';').map((part) => part.trim().toLowerCase());
		return { type, isWanted: !parameters.some((one) => /^q=0(\.0*)?$/.test(one)) };
	});
	const fits = [YANG_JSON, 'application/*', '*/*'].map((type) => ranges.find((range) => range.type === type));
	// The most exact one counts
	return fits.find((range) => range !== undefined)?.isWanted ?? ranges.every(({ type }) => type === '');
}
export const NOT_READABLE = () =>
	restconfError('invalid-value', `Answers here are ${YANG_JSON}.`, 'protocol', 406);

/** Asked for too often by somebody who is not served: RFC 6585's 429. */
export function restconfTooMany(seconds: number): Response {
	const response = restconfError('resource-denied', 'Too many calls; wait.', 'protocol', 429);
	response.headers.set('retry-after', String(seconds));
	return response;
}

/** What was asked cannot be worked just now: RFC 9110's 503. */
export function restconfBusy(): Response {
	const response = restconfError(
		'operation-failed',
		'Too much is asked just now; ask again.',
		'application',
		503
	);
	response.headers.set('retry-after', '5');
	return response;
}

export const restconfData = (body: unknown): Response =>
	new Response(JSON.stringify(body), { headers: { 'content-type': YANG_JSON, 'cache-control': 'no-store' } });

/**
 * The body of an RPC: parsed JSON, `undefined` when there is none (an RPC may come without), or the
 * error to answer with. Reads no more than a unit may send. `isLenient`: octets that are no UTF-8 are taken as U+FFFD.
 */
export async function readRpcBody(
	request: Request,
	isLenient: boolean
): Promise<{ ok: true; json: unknown } | { ok: false; error: Response }> {
	const type = (request.headers.get('content-type') ?? '').split(';')[0]!.trim().toLowerCase();
	const hasBody =
		Number(request.headers.get('content-length') ?? 0) > 0 || request.headers.has('transfer-encoding');
	if (hasBody && type !== YANG_JSON)
		return {
			ok: false,
			error: restconfError('invalid-value', `The body must be ${YANG_JSON}.`, 'protocol', 415)
		};
	const bytes = await readBounded(request);
	if (bytes === null)
		return {
			ok: false,
			error: restconfError('too-big', `A request has ${LARGEST_REQUEST_BYTES / 1024} KB at most.`, 'protocol')
		};
	const text = decoded(bytes, isLenient);
	if (text?.trim() === '') return { ok: true, json: undefined };
	const json = text === null ? null : parseObject(text);
	if (json === null)
		return {
			ok: false,
			error: restconfError('malformed-message', 'The body is not a JSON object in UTF-8.', 'protocol')
		};
	return { ok: true, json };
}

function parseObject(text: string): object | null {
	try {
		const json: unknown = JSON.parse(text);
		return typeof json === 'object' && !Array.isArray(json) ? json : null;
	} catch {
		return null;
	}
}

/** RFC 8259 section 8.1: JSON is UTF-8. */
function decoded(bytes: Uint8Array, isLenient: boolean): string | null {
	try {
		return new TextDecoder('utf-8', { fatal: !isLenient }).decode(bytes);
	} catch {
		return null;
	}
}

/** Null when it is longer than a unit may send. What is left of it is dropped by the server, not here: the sender is to read the answer. */
async function readBounded(request: Request): Promise<Uint8Array | null> {
	if (!request.body) return new Uint8Array();
	const reader = request.body.getReader();
	const parts: Uint8Array[] = [];
	let length = 0;
	for (;;) {
		const { done, value } = await reader.read();
		if (done) return Buffer.concat(parts);
		length += value.length;
		if (length > LARGEST_REQUEST_BYTES) return null;
		parts.push(value);
	}
}
