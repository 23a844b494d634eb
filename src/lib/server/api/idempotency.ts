import type { RequestEvent } from '@sveltejs/kit';
import type { Knex } from 'knex';
import pLimit from 'p-limit';
import { apartFromTransaction, database } from '../database';
import { tokenHash } from '../people';
import { problem } from './answers';
import { CUSTOMER_HEADER } from './interface-paths';

/**
 * A request that names a key (`Idempotency-Key`) is worked once: the same again gets the same answer, also
 * after a lost connection or a restart. Whoever works it holds its row locked; a worker that died holds
 * nothing, and the request is worked again, which the acts behind the API bear: they change nothing twice.
 */
// Each holds a connection of the pool beside the one that its act needs
const inTurn = pLimit(4);
const LOCK_NOT_AVAILABLE = '55P03';

export async function once(
	event: RequestEvent,
	text: string,
	work: () => Promise<Response>
): Promise<Response> {
	const key = event.request.headers.get('idempotency-key');
	if (key === null) return work();
	if (!/^[\x21-\x7e]{1,100}$/.test(key))
		return problem(400, 'An Idempotency-Key has 1 to 100 printable characters.');
	const row = { token_id: event.locals.program?.tokenId ?? event.locals.person!.sessionId, key };
	// About another customer, or of another query, it is another request
	const { pathname, search } = event.url;
	const customer = event.request.headers.get(CUSTOMER_HEADER) ?? '';
	const request_hash = tokenHash(`${event.request.method} ${pathname}${search}\n${customer}\n${text}`);
	await database()('idempotency')
		.insert({ ...row, request_hash })
		.onConflict(['token_id', 'key'])
		.ignore();
	return inTurn(() => database().transaction((trx) => workOnce(trx, row, request_hash, work))).catch(
		(error: { code?: string }) => {
			if (error.code !== LOCK_NOT_AVAILABLE) throw error;
			// Its program knows by the header that nothing was refused
			const response = problem(409, 'The same request is being worked now; ask again.');
			response.headers.set('retry-after', '1');
			return response;
		}
	);
}

async function workOnce(
	trx: Knex,
	row: { token_id: string; key: string },
	hash: Buffer,
	work: () => Promise<Response>
): Promise<Response> {
	const known = await trx('idempotency')
		.where(row)
		.forUpdate()
		.noWait()
		.first('request_hash', 'status', 'body');
	if (!hash.equals(known.request_hash))
		return problem(422, 'This Idempotency-Key was used for another request.');
	if (known.status !== null) return repeated(known.status, known.body);
	const response = await apartFromTransaction(work);
	const body = response.status === 204 ? null : JSON.stringify(await response.clone().json());
	await trx('idempotency').where(row).update({ status: response.status, body });
	return response;
}

function repeated(status: number, body: unknown): Response {
	if (status === 204) return new Response(null, { status });
	const type = status >= 400 ? 'application/problem+json' : 'application/json';
	return Response.json(body, { status, headers: { 'content-type': type, 'idempotency-replayed': 'true' } });
}
