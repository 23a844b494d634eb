import type { RequestEvent } from '@sveltejs/kit';
import type { Knex } from 'knex';
import pLimit from 'p-limit';
import { apartFromTransaction, database } from '../database';
import { tokenHash } from '../people';
import { problem } from './answers';
import { CUSTOMER_HEADER } from './interface-paths';

/** An act that was done for a request with a key, as the ledger has it. */
export interface Done {
	readonly act: string;
	readonly subjectId: string;
	readonly words: string;
	readonly detail: Readonly<Record<string, unknown>>;
}

/**
 * A request that names a key (`Idempotency-Key`) is worked once: the same again gets the same answer, also
 * after a lost connection or a restart. Whoever works it holds its row locked; a worker that died holds
 * nothing. What it had done by then was noted in the same transactions (`enterInLedger`): where that is anything,
 * `answerFor` answers for it, and otherwise the request is worked anew.
 */
// Each holds a connection of the pool beside the one that its act needs
const inTurn = pLimit(4);
const LOCK_NOT_AVAILABLE = '55P03';
const REPLAYED = 'idempotency-replayed';

export async function once(
	event: RequestEvent,
	text: string,
	work: () => Promise<Response>,
	answerFor: (done: readonly Done[]) => Promise<Response> | Response
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
	event.locals.keyed = { tokenId: row.token_id, key };
	try {
		const isFirst = await database()('idempotency')
			.insert({ ...row, request_hash })
			.onConflict(['token_id', 'key'])
			.ignore()
			.returning('key');
		// An act that is just being committed for it, of a process that has ended, holds its row as well
		if (isFirst.length === 0) await database()('idempotency').where(row).forUpdate().noWait().first('key');
		return await inTurn(() =>
			database().transaction((trx) => workOnce(trx, row, request_hash, work, answerFor))
		);
	} catch (error) {
		if ((error as { code?: string }).code !== LOCK_NOT_AVAILABLE) throw error;
		// Its program knows by the header that nothing was refused
		const response = problem(409, 'The same request is being worked now; ask again.');
		response.headers.set('retry-after', '1');
		return response;
	}
}

async function workOnce(
	trx: Knex,
	row: { token_id: string; key: string },
	hash: Buffer,
	work: () => Promise<Response>,
	answerFor: (done: readonly Done[]) => Promise<Response> | Response
): Promise<Response> {
	// Not so locked that its acts could not refer to it
	const known = await trx('idempotency')
		.where(row)
		.forNoKeyUpdate()
		.noWait()
		.first('request_hash', 'status', 'body');
	if (!hash.equals(known.request_hash))
		return problem(422, 'This Idempotency-Key was used for another request.');
	if (known.status !== null) return repeated(known.status, known.body);
	const done = await trx('idempotency_done')
		.where(row)
		.orderBy('id')
		.select<Done[]>('act', 'subject_id as subjectId', 'words', 'detail');
	const response = await apartFromTransaction(async () => (done.length > 0 ? answerFor(done) : work()));
	const body = response.status === 204 ? null : JSON.stringify(await response.clone().json());
	await trx('idempotency').where(row).update({ status: response.status, body });
	if (done.length > 0) response.headers.set(REPLAYED, 'true');
	return response;
}

function repeated(status: number, body: unknown): Response {
	if (status === 204) return new Response(null, { status });
	const type = status >= 400 ? 'application/problem+json' : 'application/json';
	return Response.json(body, { status, headers: { 'content-type': type, [REPLAYED]: 'true' } });
}
