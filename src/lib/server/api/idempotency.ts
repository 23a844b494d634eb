import type { RequestEvent } from '@sveltejs/kit';
import { database } from '../database';
import { tokenHash } from '../people/chance';
import { problem } from './answers';

/**
 * A request that names a key (`Idempotency-Key`) is worked once: the same again gets the same answer, also
 * after a lost connection or a restart. A request whose worker died is worked again; the acts behind the
 * API change nothing the second time.
 */
const ABANDONED = '1 minute';

export async function once(
	event: RequestEvent,
	text: string,
	work: () => Promise<Response>
): Promise<Response> {
	const key = event.request.headers.get('idempotency-key');
	if (key === null) return work();
	if (!/^[\x21-\x7e]{1,100}$/.test(key))
		return problem(400, 'An Idempotency-Key has 1 to 100 printable characters.');
	const token_id = event.locals.program!.tokenId;
	const request_hash = tokenHash(`${event.request.method} ${event.url.pathname}\n${text}`);
	const { rows } = await database().raw(
		`insert into idempotency as known (token_id, key, request_hash) values (?, ?, ?)
		on conflict (token_id, key) do update set at = now() where known.status is null and known.at < now() - interval '${ABANDONED}'
			and known.request_hash = excluded.request_hash
		returning key`,
		[token_id, key, request_hash]
	);
	if (rows.length === 0) return repeated(token_id, key, request_hash);
	const response = await work();
	const body = response.status === 204 ? null : await response.clone().json();
	await database()('idempotency')
		.where({ token_id, key })
		.update({ status: response.status, body: body === null ? null : JSON.stringify(body) });
	return response;
}

async function repeated(token_id: string, key: string, hash: Buffer): Promise<Response> {
	const known = await database()('idempotency')
		.where({ token_id, key })
		.first('request_hash', 'status', 'body');
	if (!known || known.status === null)
		return problem(409, 'The same request is being worked now; ask again.');
	if (!hash.equals(known.request_hash))
		return problem(422, 'This Idempotency-Key was used for another request.');
	if (known.status === 204) return new Response(null, { status: 204 });
	const type = known.status >= 400 ? 'application/problem+json' : 'application/json';
	return Response.json(known.body, {
		status: known.status,
		headers: { 'content-type': type, 'idempotency-replayed': 'true' }
	});
}
