import type { Knex } from 'knex';
import { isSecretName, SECRET_WORDS, type Values } from '../../src/core/profile';
import { isSealed, unseal, seal, secretKeyId } from '../../src/lib/server/keys';

/**
 * Seals with the newest key whatever is clear or sealed with an older one; run as the owner. Each row is
 * its own transaction, so that it can be stopped at any moment and gone on with later.
 */
const ROWS_AT_ONCE = 500;

const fresh = (text: string): boolean => text.startsWith(`sealed:${secretKeyId()}:`);

function sealedAnew(values: Values): Values | null {
	let changed = false;
	const next = Object.fromEntries(
		Object.entries(values).map(([name, value]) => {
			if (typeof value === 'object') return [name, value];
			const text = String(value);
			if (!(isSecretName(name) || isSealed(text)) || fresh(text)) return [name, value];
			changed = true;
			return [name, seal(unseal(text))];
		})
	);
	return changed ? next : null;
}

/** Returns how many rows were sealed anew. */
export async function sealAnew(owner: Knex): Promise<number> {
	let count = 0;
	// A secret that is sealed anew is as old as it was
	await owner.raw("set limen.resealing = 'on'");
	for (const table of ['customer', 'site', 'position'])
		for (const { id, values } of await owner(table)
			.whereRaw(`"values"::text ~* ?`, [`sealed:|${SECRET_WORDS}`])
			.select('id', 'values')) {
			const next = sealedAnew(values);
			if (next)
				count += await owner(table)
					.where({ id, values })
					.update({ values: JSON.stringify(next) });
		}
	for (const { table, column } of await textColumns(owner)) count += await sealColumn(owner, table, column);
	return count + (await sealKept(owner));
}

/** What is kept of retired units is sealed within its rows. */
async function sealKept(owner: Knex): Promise<number> {
	let count = 0;
	for (;;) {
		const { rows } = await owner.raw(
			`select tableoid::regclass::text as partition, ctid::text as place, content from retired_row
			where content::text like '%"sealed:%' and replace(content::text, ?, '') like '%"sealed:%' limit ?`,
			[`"sealed:${secretKeyId()}:`, ROWS_AT_ONCE]
		);
		let sealed = 0;
		for (const { partition, place, content } of rows as {
			partition: string;
			place: string;
			content: Record<string, unknown>;
		}[]) {
			const next = Object.fromEntries(
				Object.entries(content).map(([name, value]) => {
					const clear = typeof value === 'string' && !fresh(value) ? opened(value) : null;
					return [name, clear === null ? value : seal(clear)];
				})
			);
			if (JSON.stringify(next) === JSON.stringify(content)) continue;
			sealed += (
				await owner.raw('update ?? set content = ?::jsonb where ctid = ?::tid and content = ?::jsonb', [
					partition,
					JSON.stringify(next),
					place,
					JSON.stringify(content)
				])
			).rowCount;
		}
		count += sealed;
		// What only looks sealed stays as it is
		if (sealed === 0) return count;
	}
}

/** Every column that can hold a sealed text: none is forgotten when a table is added. */
async function textColumns(
	owner: Knex
): Promise<readonly { readonly table: string; readonly column: string }[]> {
	const { rows } = await owner.raw(
		`select c.table_name as table, c.column_name as column from information_schema.columns c
		join information_schema.tables t using (table_schema, table_name)
		where table_schema = 'public' and table_type = 'BASE TABLE' and data_type = 'text' and table_name <> 'ledger_entry' order by 1, 2`
	);
	return rows;
}

async function sealColumn(owner: Knex, table: string, column: string): Promise<number> {
	let count = 0;
	for (let after = '(0,0)'; ;) {
		const { rows } = await owner.raw(
			`select ctid::text as place, ??::text as text from ?? where ctid > ?::tid and ?? like 'sealed:%' and ?? not like ? order by ctid limit ?`,
			[column, table, after, column, column, `sealed:${secretKeyId()}:%`, ROWS_AT_ONCE]
		);
		for (const { place, text } of rows as { place: string; text: string }[]) {
			after = place;
			const clear = opened(text);
			if (clear !== null)
				count += (
					await owner.raw('update ?? set ?? = ? where ctid = ?::tid and ?? = ?', [
						table,
						column,
						seal(clear),
						place,
						column,
						text
					])
				).rowCount;
		}
		if (rows.length < ROWS_AT_ONCE) return count;
	}
}

/** Null for what only looks sealed: somebody can write such a text into a note. */
function opened(text: string): string | null {
	try {
		return isSealed(text) ? unseal(text) : null;
	} catch {
		return null;
	}
}
