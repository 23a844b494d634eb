import type { ListQuery } from '../../../core/list';
import { database } from '../database';

/** One window of a long list, and how long the whole is. */
export interface ListRows<Row> {
	readonly total: number;
	readonly offset: number;
	readonly rows: readonly Row[];
}

/** A list in SQL: what fits, and what its rows are. None of its `:names` is the name of a type. */
export interface ListSource {
	/** `with` clauses that both statements read. */
	readonly reads?: string;
	/** What of its tables a row is known by. */
	readonly id: string;
	/** The tables and the conditions of what fits. All of them are gone through: nothing is joined that no condition and no order asks for. */
	readonly from: string;
	readonly values: Readonly<Record<string, unknown>>;
	/** What it is sorted by, and what says more when that is equal; at last their ids do. */
	readonly sort: string;
	readonly tie: string;
	/** A query of whole rows, those of `shown (id, place)` in the order of `place`; `few`: each is looked up on its own. */
	readonly rows: (few: boolean) => string;
}

/** So many rows are looked up one by one; of more, whole tables are read. */
const FEW = 500;

/** Conditions that are asked for, all of which must hold. */
export const allOf = (conditions: readonly (string | false)[]): string =>
	conditions.filter((one) => one !== false).join(' and ') || 'true';

/**
 * A list goes over all of its tables once. How many rows its filters leave cannot be told beforehand; whoever guesses few goes
 * over another table for each of them, which took half a minute for 50,000 units.
 */
const overAll = (sql: string, values: Readonly<Record<string, unknown>>): Promise<unknown[]> =>
	database().transaction(async (trx) => {
		await trx.raw('set local enable_nestloop = off');
		return (await trx.raw(sql, values)).rows as unknown[];
	});

/** The rows of a list that are in sight. Of the others it is read that they fit, and what puts them in order. */
export async function listRows<Row>(
	source: ListSource,
	{ sort: { descending } }: Pick<ListQuery, 'sort'>,
	offset: number,
	limit: number
): Promise<ListRows<Row>> {
	const { reads, id, from, values, sort, tie } = source;
	const way = `${descending ? 'desc' : 'asc'} nulls last`;
	// Only what this file's callers wrote goes into the statement; what people typed goes beside it.
	// All are counted, and only those in sight put in order: of a long list that takes longest
	const found = (await overAll(
		`with ${reads ? `${reads}, ` : ''}fitting as materialized (select ${id} as id, ${sort} as sort, ${tie} as tie from ${from})
		select id, (select count(*)::int from fitting) as total from fitting
		order by sort ${way}, tie, id offset :offset::int limit :limit::int`,
		{ ...values, offset, limit }
	)) as { id: string; total: number }[];
	return {
		total: found[0]?.total ?? 0,
		offset,
		rows: await rowsOf<Row>(
			source,
			found.map((one) => one.id)
		)
	};
}

/** Whole rows of a list by their ids, in that order; without those that are gone. */
export async function rowsOf<Row>(
	{ reads, values, rows }: Pick<ListSource, 'reads' | 'values' | 'rows'>,
	ids: readonly string[]
): Promise<readonly Row[]> {
	if (ids.length === 0) return [];
	const few = ids.length <= FEW;
	const sql = `with ${reads ? `${reads}, ` : ''}shown as (select * from unnest(:ids::text[]) with ordinality as shown (id, place)) ${rows(few)}`;
	const given = { ...values, ids: [...ids] };
	return (few ? (await database().raw(sql, given)).rows : await overAll(sql, given)) as Row[];
}

const withReads = (reads: string | undefined): string => (reads ? `with ${reads}` : '');

/** How many rows a list has by what something about them says, whatever is filtered by that. */
export async function listCounts(
	{ reads, from, values }: Pick<ListSource, 'reads' | 'from' | 'values'>,
	by: string
): Promise<Readonly<Record<string, number>>> {
	const rows = await overAll(
		`${withReads(reads)} select ${by} as word, count(*)::int as count from ${from} group by 1`,
		values
	);
	return Object.fromEntries(
		(rows as { word: string; count: number }[]).map(({ word, count }) => [word, count])
	);
}

/** The ids of all rows that fit, for an act on all of them. */
export async function listIds(
	{ reads, id, from, values }: Pick<ListSource, 'reads' | 'id' | 'from' | 'values'>,
	most: number
): Promise<string[]> {
	const rows = await overAll(`${withReads(reads)} select ${id} as id from ${from} limit :most`, {
		...values,
		most
	});
	return (rows as { id: string }[]).map(({ id }) => id);
}

export const containing = (text: string): string => `%${text.replace(/[\\%_]/g, '\\$&')}%`;
