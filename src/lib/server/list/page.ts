import type { ListQuery } from '../../../core/list';
import { database } from '../database';

/** One window of a long list, and how long the whole is. */
export interface ListRows<Row> {
	readonly total: number;
	readonly offset: number;
	readonly rows: readonly Row[];
}

/** A list in SQL: what its rows are, as a query with `:names` (none of them the name of a type), and what a column is sorted by. */
export interface ListSource {
	/** `with` clauses, the last of which is `listed`, already filtered. */
	readonly sql: string;
	readonly values: Readonly<Record<string, unknown>>;
	/** By a column's id, what it is sorted by. */
	readonly sorts: Readonly<Record<string, string>>;
	/** The last word when all else is equal. */
	readonly tie: string;
	/** Adds what only the rows that are sent need. */
	readonly dressed?: string;
}

/**
 * A list goes over all of its tables once. How many rows its filters leave cannot be told beforehand; whoever guesses few goes
 * over another table for each of them, which took half a minute for 50,000 units.
 */
const overAll = (sql: string, values: Readonly<Record<string, unknown>>): Promise<unknown[]> =>
	database().transaction(async (trx) => {
		await trx.raw('set local enable_nestloop = off');
		return (await trx.raw(sql, values)).rows as unknown[];
	});

/** The rows of a list that are in sight. The others are counted, and not put in order: of a long list that takes longest. */
export async function listRows<Row>(
	{ sql, values, sorts, tie, dressed = 'select * from shown order by place' }: ListSource,
	{ sort }: Pick<ListQuery, 'sort'>,
	offset: number,
	limit: number
): Promise<ListRows<Row>> {
	// Only what this file's callers wrote goes into the statement; what people typed goes beside it
	const order = `${sorts[sort.column] ?? tie} ${sort.descending ? 'desc' : 'asc'} nulls last, ${tie}`;
	const rows = await overAll(
		`${sql}, in_sight as (
			select listed.*, count(*) over ()::int as total from listed order by ${order} offset :offset::int limit :limit::int
		), shown as (
			select in_sight.*, :offset::int + row_number() over (order by ${order})::int as place from in_sight
		) ${dressed}`,
		{ ...values, offset, limit }
	);
	const [first] = rows as { total: number }[];
	return { total: first?.total ?? 0, offset, rows: rows as Row[] };
}

/** How many rows a list has by the values of one column, whatever is filtered by that column. */
export async function listCounts(
	{ sql, values }: Pick<ListSource, 'sql' | 'values'>,
	column: string
): Promise<Readonly<Record<string, number>>> {
	const rows = await overAll(
		`${sql} select ${column} as word, count(*)::int as count from listed group by 1`,
		{ ...values }
	);
	return Object.fromEntries(
		(rows as { word: string; count: number }[]).map(({ word, count }) => [word, count])
	);
}

/** The ids of all rows that fit, for an act on all of them. */
export async function listIds(
	{ sql, values }: Pick<ListSource, 'sql' | 'values'>,
	most: number
): Promise<string[]> {
	const rows = await overAll(`${sql} select id from listed limit :most`, { ...values, most });
	return (rows as { id: string }[]).map(({ id }) => id);
}

export const containing = (text: string): string => `%${text.replace(/[\\%_]/g, '\\$&')}%`;
