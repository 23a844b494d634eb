import { promisify } from 'node:util';
import { strToU8, zip, type AsyncZippable } from 'fflate';
import { database } from '../database';
import { shownTextOf } from './store';

const zipped = promisify<AsyncZippable, Uint8Array>(zip);
const MOST_ZIPPED = 300;

/** Versions as texts in one ZIP, their secrets masked; null when none of them is kept. `customers`: whose; null for all. */
export async function versionsAsZip(
	ids: readonly string[],
	customers: readonly string[] | null
): Promise<Uint8Array<ArrayBuffer> | null> {
	const rows: { unitId: string; number: number; serial: string }[] = await database()('archive_version')
		.join('unit', 'unit.id', 'unit_id')
		.whereIn('archive_version.id', ids.slice(0, MOST_ZIPPED))
		.modify((query) => void (customers && query.whereIn('archive_version.customer_id', [...customers])))
		.select('unit_id as unitId', 'number', 'serial');
	const files: AsyncZippable = {};
	for (const { unitId, number, serial } of rows)
		files[`${serial}-${number}.txt`] = strToU8((await shownTextOf(unitId, number)) ?? '');
	return rows.length === 0 ? null : new Uint8Array(await zipped(files));
}
