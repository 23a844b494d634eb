import type { Knex } from 'knex';
import { isSecretName, type Values } from '../../src/core/profile';
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
	for (const table of ['customer', 'site', 'position'])
		for (const { id, values } of await owner(table)
			.whereRaw(`"values"::text ~* 'secret|password|sealed:'`)
			.select('id', 'values')) {
			const next = sealedAnew(values);
			if (next)
				count += await owner(table)
					.where({ id, values })
					.update({ values: JSON.stringify(next) });
		}
	for (const [table, column] of [
		['run', 'rendering'],
		['person', 'totp_secret']
	] as const)
		for (;;) {
			const rows = await owner(table)
				.whereNotNull(column)
				.whereNot(column, 'like', `sealed:${secretKeyId()}:%`)
				.limit(ROWS_AT_ONCE)
				.select('id', column);
			if (rows.length === 0) break;
			for (const row of rows)
				count += await owner(table)
					.where({ id: row.id, [column]: row[column] })
					.update({ [column]: seal(unseal(row[column])) });
		}
	return count;
}
