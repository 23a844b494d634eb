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
	if (status === 405) headers.allow = 'POST';
	return new Response(JSON.stringify(errorBody(type, tag, message)), { status, headers });
}

/** Asked for too often by somebody who is not served: RFC 6585's 429. */
export function restconfTooMany(seconds: number): Response {
	const response = restconfError('resource-denied', 'Too many calls; wait.', 'protocol', 429);
	response.headers.set('retry-after', String(seconds));
	return response;
}

export const restconfData = (body: unknown): Response =>
	new Response(JSON.stringify(body), { headers: { 'content-type': YANG_JSON, 'cache-control': 'no-store' } });

/**
 * The body of an RPC: parsed JSON, `undefined` when there is none (an RPC may come without), or the
 * error to answer with. Reads no more than a unit may send.
 */
export async function readRpcBody(
	request: Request
): Promise<{ ok: true; json: unknown } | { ok: false; error: Response }> {
	const type = (request.headers.get('content-type') ?? '').split(';')[0]!.trim().toLowerCase();
	const hasBody =
		Number(request.headers.get('content-length') ?? 0) > 0 || request.headers.has('transfer-encoding');
	if (hasBody && type !== YANG_JSON)
		return {
			ok: false,
			error: restconfError('invalid-value', `The body must be ${YANG_JSON}.`, 'protocol', 415)
		};
	const text = await readBounded(request);
	if (text === null)
		return {
			ok: false,
			error: restconfError('too-big', `A request has ${LARGEST_REQUEST_BYTES / 1024} KB at most.`, 'protocol')
		};
	if (text.trim() === '') return { ok: true, json: undefined };
	const json = parseObject(text);
	if (json === null)
		return {
			ok: false,
			error: restconfError('malformed-message', 'The body is not a JSON object.', 'protocol')
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

/** Null when it is longer than a unit may send. What is left of it is dropped by the server, not here: the sender is to read the answer. */
async function readBounded(request: Request): Promise<string | null> {
	if (!request.body) return '';
	const reader = request.body.getReader();
	const decoder = new TextDecoder();
	let text = '';
	let bytes = 0;
	for (;;) {
		const { done, value } = await reader.read();
		if (done) return text + decoder.decode();
		bytes += value.length;
		if (bytes > LARGEST_REQUEST_BYTES) return null;
		text += decoder.decode(value, { stream: true });
	}
}
