import { setImmediate } from 'node:timers/promises';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { IntakeRow } from '../../../core/intake';
import { claimHash, seal } from '../keys';
import { registries } from './registries';

/** So many rows are hashed while the database works on as many before them. */
const ROWS_AT_ONCE = 2_500;

export interface BatchPlace {
	readonly customerId: string;
	readonly batchId: string;
}

/**
 * Claims the wanted rows, noting each one's new unit under its index. Returns the rows that some unit's
 * serial number or MAC address stood in the way of; of two people with the same list, one waits here.
 */
export async function insertUnits(
	trx: Knex,
	batch: BatchPlace,
	rows: readonly IntakeRow[],
	wanted: readonly number[],
	claimed: Map<number, string>
): Promise<number[]> {
	let sending: Promise<readonly string[]> = Promise.resolve([]);
	const inserted = new Set<string>();
	const idOf = new Map<number, string>();
	const asked = registries().map(({ makerId }) => makerId);
	for (let from = 0; from < wanted.length; from += ROWS_AT_ONCE) {
		const part = wanted.slice(from, from + ROWS_AT_ONCE).map((index) => {
			const row = rows[index]!;
			const id = uuid();
			idOf.set(index, id);
			return {
				...row,
				id,
				hash: claimHash(row.claimCode!).toString('hex'),
				// Kept until the maker's registry has answered
				code: asked.length > 0 ? seal(row.claimCode!) : ''
			};
		});
		for (const id of await sending) inserted.add(id);
		sending = insertPart(trx, batch, part, asked);
		// Lets the statement leave before the next part is hashed
		await setImmediate();
	}
	for (const id of await sending) inserted.add(id);
	for (const [index, id] of idOf) if (inserted.has(id)) claimed.set(index, id);
	return wanted.filter((index) => !claimed.has(index));
}

interface NewUnit extends IntakeRow {
	readonly id: string;
	readonly hash: string;
	readonly code: string;
}

/** Claims some units, and asks for those whose makers have a registry. Returns the ids of those that were not in anybody's way. */
async function insertPart(
	trx: Knex,
	{ customerId, batchId }: BatchPlace,
	units: readonly NewUnit[],
	asked: readonly string[]
): Promise<readonly string[]> {
	const { rows } = await trx.raw(
		`with given as (
			select * from unnest(?::uuid[], ?::text[], ?::text[], ?::int[], ?::macaddr[], ?::text[], ?::text[], ?::text[]) as u(id, serial, model, line, mac, hash, code, version)
		), claimed as (
			insert into unit (id, serial, maker_id, model_id, customer_id, batch_id, line, mac, claim_hash, delivered_version, ownership)
			select given.id, given.serial, model.maker_id, model.id, ?, ?, given.line, given.mac, decode(given.hash, 'hex'), given.version,
				case when model.maker_id = any (?::text[]) then 'asked' else 'confirmed' end
			from given join model on model.id = given.model
			on conflict do nothing returning id, customer_id, maker_id, ownership
		), asked as (
			insert into claim_request (unit_id, customer_id, maker_id, claim_code)
			select claimed.id, customer_id, maker_id, code from claimed join given on given.id = claimed.id where ownership = 'asked'
		) select id from claimed`,
		[
			units.map(({ id }) => id),
			units.map(({ serial }) => serial),
			units.map(({ modelId }) => modelId!),
			units.map(({ line }) => line),
			units.map(({ mac }) => mac) as string[],
			units.map(({ hash }) => hash),
			units.map(({ code }) => code),
			units.map(({ version }) => version) as string[],
			customerId,
			batchId,
			[...asked]
		]
	);
	return (rows as { id: string }[]).map(({ id }) => id);
}
