import { createRequire } from 'node:module';
import type { Knex } from 'knex';
import { databaseSettings, identity } from './identity';

/** A connection of the pool, and as whom it works at present. */
interface Connection {
	limenIdentity?: string;
	limenInTransaction?: boolean;
	query(text: string, values: readonly string[]): Promise<unknown>;
}
interface Query {
	sql: string;
	[option: string]: unknown;
}
interface PostgresClient {
	_query(connection: Connection, query: Query): Promise<unknown>;
}

// Knex has no public face for its dialects; extending one is its documented way to make another
const PostgresClient = createRequire(import.meta.url)('knex/lib/dialects/postgres/index.js') as new (
	config: Knex.Config
) => PostgresClient;

const SWITCH = `select set_config('role', $1, false), set_config('limen.person', $2, false), set_config('limen.token', $3, false)`;
const BEGINS = /^\s*begin\b/i;
const ENDS = /^\s*(commit|rollback)\s*;?\s*$/i;

/**
 * Knex's PostgreSQL client, which says before a query for whom it is, whenever the connection last worked
 * for somebody else. A transaction is one person's from its beginning to its end.
 */
export class WalledClient extends PostgresClient {
	override async _query(connection: Connection, query: Query): Promise<unknown> {
		const who = identity();
		const settings = databaseSettings(who);
		const wanted = settings.join(' ');
		const asItIs = who.kind === 'doorkeeper' && connection.limenIdentity?.startsWith(`${settings[0]} `);
		if (connection.limenIdentity !== wanted && !asItIs) {
			if (connection.limenInTransaction) {
				if (!ENDS.test(query.sql)) throw new Error('A transaction cannot go on as somebody else.');
			} else {
				delete connection.limenIdentity;
				await connection.query(SWITCH, settings);
				connection.limenIdentity = wanted;
			}
		}
		if (BEGINS.test(query.sql)) connection.limenInTransaction = true;
		const result = await super._query(connection, query);
		if (ENDS.test(query.sql)) connection.limenInTransaction = false;
		return result;
	}
}
