import { AsyncLocalStorage } from 'node:async_hooks';
import { createRequire } from 'node:module';
import type { Knex } from 'knex';
import { isClockOld, readClock } from './clock';
import { databaseSettings, identity } from './identity';
import { isOutdated, Statements, type Preparing } from './statements';

/** A connection of the pool, and as whom it works at present. */
interface Connection extends Preparing {
	limenIdentity?: string;
	limenInTransaction?: boolean;
	limenStatements?: Statements;
}
interface Query {
	sql: string;
	options?: object;
	[option: string]: unknown;
}
type Container = (trx: Knex.Transaction) => unknown;
interface PostgresClient {
	transaction(container: Container | undefined, ...rest: unknown[]): unknown;
	_query(connection: Connection, query: Query): Promise<unknown>;
}

// Knex has no public face for its dialects; extending one is its documented way to make another
const PostgresClient = createRequire(import.meta.url)('knex/lib/dialects/postgres/index.js') as new (
	config: Knex.Config
) => PostgresClient;

/**
 * Whether the work of this moment is a transaction's. Then every query goes through it: another connection
 * would see what was before, and enough of them waiting for each other empty the pool. Where
 * `LIMEN_STRICT` is set (in the tests) such a query fails.
 */
const inside = new AsyncLocalStorage<boolean>();
/** For work that is meant to be apart from the transaction that waits for it, and is bounded by itself. */
export const apartFromTransaction = <Result>(work: () => Result): Result => inside.run(false, work);
const STRICT = process.env.LIMEN_STRICT === 'yes';

const SWITCH = `select set_config('role', $1, false), set_config('limen.person', $2, false), set_config('limen.token', $3, false)`;
const BEGINS = /^\s*begin\b/i;
const ENDS = /^\s*(commit|rollback)\s*;?\s*$/i;

/**
 * Knex's PostgreSQL client, which says before a query for whom it is, whenever the connection last worked
 * for somebody else. A transaction is one person's from its beginning to its end.
 */
export class WalledClient extends PostgresClient {
	override transaction(container: Container | undefined, ...rest: unknown[]): unknown {
		return super.transaction(container && ((trx) => inside.run(true, () => container(trx))), ...rest);
	}

	override async _query(connection: Connection, query: Query): Promise<unknown> {
		if (STRICT && inside.getStore() && !connection.limenInTransaction)
			throw new Error(
				`Inside a transaction this asks through another connection: ${query.sql.slice(0, 200)}`
			);
		const who = identity();
		const settings = databaseSettings(who);
		const wanted = settings.join(' ');
		const asItIs = who.kind === 'gatekeeper' && connection.limenIdentity?.startsWith(`${settings[0]} `);
		if (connection.limenIdentity !== wanted && !asItIs) {
			if (connection.limenInTransaction) {
				if (!ENDS.test(query.sql)) throw new Error('A transaction cannot go on as somebody else.');
			} else {
				delete connection.limenIdentity;
				await connection.query(SWITCH, settings);
				connection.limenIdentity = wanted;
			}
		}
		if (!connection.limenInTransaction && isClockOld()) await readClock(connection);
		if (BEGINS.test(query.sql)) connection.limenInTransaction = true;
		try {
			return await kept(connection, query, settings[0], (one) => super._query(connection, one));
		} finally {
			// A commit that is refused ends its transaction as well: whoever gets the connection next is in none
			if (ENDS.test(query.sql)) connection.limenInTransaction = false;
		}
	}
}

/** Asks by the name of a statement that the connection keeps planned, where it does. */
async function kept(
	connection: Connection,
	query: Query,
	role: string,
	ask: (query: Query) => Promise<unknown>
): Promise<unknown> {
	const statements = (connection.limenStatements ??= new Statements());
	const name = await statements.nameFor(connection, query.sql, role);
	if (name === null) return ask(query);
	try {
		return await ask({ ...query, options: { ...query.options, name } });
	} catch (error) {
		// Within a transaction nothing more can be asked
		if (!isOutdated(error as Error) || connection.limenInTransaction) throw error;
		await statements.forget(connection);
		return ask(query);
	}
}
