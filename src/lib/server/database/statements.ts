import { createHash } from 'node:crypto';

/** A connection of PostgreSQL's client, as far as its prepared statements go. */
export interface Preparing {
	readonly connection: { readonly parsedStatements: Record<string, string> };
	query(text: string, values?: readonly string[]): Promise<{ readonly rows: readonly unknown[] }>;
}

/** Statements that may be kept; the others change nothing by it, or hold several at once. */
const KEEPABLE = /^\s*\(?\s*(select|with|insert|update|delete)\b[^;]*$/i;
/** Their shape is the table’s, which an upgrade beside us may change. */
const OF_ANY_SHAPE = /(select|returning|\.|,)\s*\*/i;
/** Asked so often on one connection, a statement is kept; each takes some memory of the database’s process. */
const OFTEN = 4;
const MOST_KEPT = 120;
/** How many are counted at once: those asked longest ago are forgotten first. */
const MOST_COUNTED = 600;

/** PostgreSQL’s refusals of a kept statement: a table that it reads has changed, or something between us dropped it. */
const OUTDATED: Readonly<Record<string, RegExp>> = {
	'0A000': /cached plan must not change result type/,
	'26000': /prepared statement/
};
export const isOutdated = ({ code, message }: { code?: string; message?: string }): boolean =>
	OUTDATED[code ?? '']?.test(message ?? '') === true;

interface Counted {
	times: number;
	name: string | null;
}

/**
 * Which statements a connection keeps prepared (PostgreSQL, PREPARE): planning most of ours takes longer than running
 * them, because each table’s walls are planned with it. A plan is made for one role, so each role has its own.
 */
export class Statements {
	readonly #counted = new Map<string, Counted>();
	#kept = 0;

	/** By what name a statement is asked from now on; null while it is not kept. */
	async nameFor(connection: Preparing, sql: string, role: string): Promise<string | null> {
		if (!KEEPABLE.test(sql) || OF_ANY_SHAPE.test(sql)) return null;
		const key = `${role} ${sql}`;
		const one = this.#counted.get(key) ?? { times: 0, name: null };
		// Last in the map is the one asked last
		this.#counted.delete(key);
		this.#counted.set(key, one);
		if (one.name === null && ++one.times >= OFTEN) {
			one.name = `limen_${createHash('sha256').update(key).digest('base64url')}`;
			this.#kept++;
		}
		for (const [oldest, { name }] of this.#counted) {
			if (this.#counted.size <= MOST_COUNTED && this.#kept <= MOST_KEPT) break;
			if (this.#counted.size <= MOST_COUNTED && name === null) continue;
			this.#counted.delete(oldest);
			if (name !== null) await this.#drop(connection, name);
		}
		return one.name;
	}

	/** All are planned anew: what the connection kept is not there any more, or not of the same shape. */
	async forget(connection: Preparing): Promise<void> {
		this.#counted.clear();
		this.#kept = 0;
		const { parsedStatements } = connection.connection;
		for (const name of Object.keys(parsedStatements)) delete parsedStatements[name];
		await connection.query('deallocate all');
	}

	async #drop(connection: Preparing, name: string): Promise<void> {
		this.#kept--;
		const { parsedStatements } = connection.connection;
		if (parsedStatements[name] === undefined) return;
		// Refused within a transaction that has failed: then it stays, and is still known by its name
		await connection.query(`deallocate "${name}"`).then(
			() => delete parsedStatements[name],
			() => undefined
		);
	}
}
