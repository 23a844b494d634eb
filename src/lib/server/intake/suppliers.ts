import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	layoutSignature,
	MEANINGS,
	readLayout,
	type ColumnsRead,
	type KnownNames,
	type Meaning
} from '../../../core/intake';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { intakeModels } from './models';

/** The names by which a list can say where a unit goes at a customer. */
export async function knownNames(customerId: string | null): Promise<KnownNames> {
	const { rows } = await database().raw(
		`select array(select name from site where customer_id = ?::uuid) as sites,
			array(select distinct name from position where customer_id = ?::uuid) as positions,
			array(select name from profile where retired_at is null) as profiles`,
		[customerId, customerId]
	);
	return rows[0];
}

/**
 * Reads what a list's columns are about: as a supplier's lists with the same headings were read before, or
 * else by headings and content. Null when it has no columns. `supplier`: whose it is said to be; empty when
 * nobody said.
 */
export async function readColumns(
	text: string,
	customerId: string | null,
	supplier: string
): Promise<ColumnsRead | null> {
	const [models, names] = await Promise.all([intakeModels(database()), knownNames(customerId)]);
	const layout = readLayout(text, models, names);
	if (!layout) return null;
	const before = await database()('supplier_layout')
		.where({ signature: layoutSignature(layout) })
		.modify((query) => {
			// Without headings, lists of as many columns are anybody's
			if (supplier) query.whereRaw('lower(supplier) = lower(?)', [supplier]);
			else if (layout.heading === null) query.whereRaw('false');
		})
		.orderBy('saved_at', 'desc')
		.first<{ supplier: string; columns: (Meaning | null)[] }>('supplier', 'columns');
	return {
		columns: layout.columns.map((column, index) =>
			before && before.columns[index] !== undefined
				? { ...column, meaning: before.columns[index], by: 'supplier' as const }
				: column
		),
		above: layout.above.length,
		supplier: before?.supplier ?? null
	};
}

/** Keeps how a supplier's list was read, in the transaction in which it is taken in. */
export async function rememberLayout(
	trx: Knex,
	supplier: string,
	{ signature, columns }: { readonly signature: string; readonly columns: readonly (Meaning | null)[] },
	customerId: string,
	actor: Actor
): Promise<void> {
	const { rows } = await trx.raw(
		`insert into supplier_layout (id, supplier, signature, columns) values (?, ?, ?, ?::jsonb)
		on conflict (lower(supplier), signature) do update set columns = excluded.columns, saved_at = now()
			where supplier_layout.columns <> excluded.columns returning id`,
		[uuid(), supplier, signature, JSON.stringify(columns)]
	);
	if (rows.length === 0) return;
	await enterInLedger(trx, actor, [
		{
			act: 'remember supplier',
			customerId,
			subjectKind: 'customer',
			subjectId: customerId,
			words: `Lists of ${supplier} are read so from now on: ${columns.map((meaning) => meaning ?? '–').join(', ')}.`
		}
	]);
}

/** The suppliers whose lists came before. */
export const knownSuppliers = (): Promise<string[]> =>
	database()('supplier_layout').distinct('supplier').orderBy('supplier').limit(200).pluck('supplier');

/** The meanings that a form sends for a list's columns; null when it sends none that can be understood. */
export function chosenColumns(given: string): readonly (Meaning | null)[] | null {
	if (given === '') return null;
	const columns = given
		.split(',')
		.map((one) => ((MEANINGS as readonly string[]).includes(one) ? (one as Meaning) : null));
	return columns.length <= MOST_COLUMNS ? columns : null;
}
const MOST_COLUMNS = 200;
