import { setImmediate } from 'node:timers/promises';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	judgeRows,
	readClaimCode,
	readIntake,
	type IntakeRow,
	type JudgedRow,
	type KnownUnit,
	type SerialPattern,
	type Verdict
} from '../../../core/intake';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { claimHash } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

export interface IntakeModel {
	readonly id: string;
	readonly name: string;
	readonly makerId: string;
	readonly makerName: string;
	readonly serial: SerialPattern;
}

/** What happened to one row. The row as given goes back to whoever gave it and is not kept: it holds a claim code. */
export interface RowOutcome {
	readonly line: number;
	readonly raw: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly verdict: Verdict;
	readonly reason: string;
	readonly unitId: string | null;
	readonly modelName: string | null;
	/** Serials that would be valid if a look-alike character was misread. */
	readonly repairs: readonly string[];
	/** Where it is to be bound, by the list's own words. */
	readonly place: IntakeRow['place'];
}

export interface BatchOutcome {
	readonly batchId: string;
	readonly counts: Readonly<Record<Verdict, number>>;
	readonly rows: readonly RowOutcome[];
	readonly heading: string | null;
}

/**
 * Takes in units from pasted text or a CSV file for a customer. Good rows become claimed units, every row
 * gets its verdict, and the batch is kept. Refused as a whole only when the text is no list or empty.
 * Sending the same again changes nothing.
 */
export async function claimBatch(customerId: string, text: string, actor: Actor): Promise<Act<BatchOutcome>> {
	if (!actor.may('claim', customerId)) return refuse('You may not claim units for this customer.');
	const models = await intakeModels(database());
	const reading = readIntake(text, models);
	if (!reading.ok) return refuse(reading.problem);
	if (reading.rows.length === 0) return refuse('There is nothing to take in: paste one unit a line.');
	const makerOf = new Map(models.map((model) => [model.id, model.makerId]));
	return database().transaction(async (trx) => {
		const batchId = uuid();
		await trx('batch').insert({ id: batchId, customer_id: customerId });
		const claimed = new Map<number, string>();
		let known: KnownUnit[] = [];
		for (;;) {
			const judged = judgeRows(reading.rows, known, (modelId) => makerOf.get(modelId)!);
			// In one order for everybody: two people with the same units cannot wait for each other
			const wanted = judged
				.flatMap(({ verdict }, index) => (verdict === 'claimed' && !claimed.has(index) ? [index] : []))
				.sort((a, b) => (reading.rows[a]!.serial < reading.rows[b]!.serial ? -1 : 1));
			const refused = await insertUnits(trx, { customerId, batchId }, reading.rows, wanted, claimed);
			if (refused.length === 0)
				return done({
					...(await keep(trx, { customerId, batchId }, judged, claimed, models, actor)),
					heading: reading.heading
				});
			// Somebody has them, perhaps since a moment ago: now it can be seen who
			known = [
				...known,
				...(await knownUnits(
					trx,
					customerId,
					refused.map((index) => reading.rows[index]!)
				))
			];
		}
	});
}

/** Replaces a unit's claim code, when the one taken in was misread. The code itself is not kept. */
export async function correctClaimCode(unitId: string, text: string, actor: Actor): Promise<Act> {
	const code = readClaimCode(text);
	if (code === null) return refuse('The claim code has 8 to 32 letters and digits; this one does not.');
	return database().transaction(async (trx) => {
		const unit = await trx('unit').where({ id: unitId }).first('serial', 'customer_id');
		if (!unit) return refuse('There is no such unit.');
		if (!actor.may('correct claim code', unit.customer_id))
			return refuse('You may not correct claim codes for this customer.');
		await trx('unit')
			.where({ id: unitId })
			.update({ claim_hash: claimHash(code) });
		await trx('caller').where({ serial: unit.serial, reason: 'wrong-code' }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'correct claim code',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `Claim code of unit ${unit.serial} corrected.`
			}
		]);
		await notify(trx, 'callers', null);
		await notify(trx, 'units', unit.customer_id, [unitId]);
		return done(undefined);
	});
}

export async function intakeModels(knex: Knex): Promise<IntakeModel[]> {
	const rows = await knex('model')
		.join('maker', 'maker.id', 'maker_id')
		.orderBy('model.name')
		.select('model.*', 'maker.name as maker_name');
	return rows.map((row) => ({
		id: row.id,
		name: row.name,
		makerId: row.maker_id,
		makerName: row.maker_name,
		serial: { template: row.serial_template, check: row.serial_check }
	}));
}

/** So many rows are hashed while the database works on as many before them. */
const ROWS_AT_ONCE = 2_500;

/**
 * Claims the wanted rows, noting each one's new unit under its index. Returns the rows that some unit's
 * serial number or MAC address stood in the way of; of two people with the same list, one waits here.
 */
interface BatchPlace {
	readonly customerId: string;
	readonly batchId: string;
}

async function insertUnits(
	trx: Knex,
	batch: BatchPlace,
	rows: readonly IntakeRow[],
	wanted: readonly number[],
	claimed: Map<number, string>
): Promise<number[]> {
	let sending: Promise<readonly string[]> = Promise.resolve([]);
	const inserted = new Set<string>();
	const idOf = new Map<number, string>();
	for (let from = 0; from < wanted.length; from += ROWS_AT_ONCE) {
		const part = wanted.slice(from, from + ROWS_AT_ONCE);
		const hashes = part.map((index) => claimHash(rows[index]!.claimCode!).toString('hex'));
		for (const index of part) idOf.set(index, uuid());
		for (const id of await sending) inserted.add(id);
		sending = insertPart(
			trx,
			batch,
			part.map((index) => rows[index]!),
			part.map((index) => idOf.get(index)!),
			hashes
		);
		// Lets the statement leave before the next part is hashed
		await setImmediate();
	}
	for (const id of await sending) inserted.add(id);
	for (const [index, id] of idOf) if (inserted.has(id)) claimed.set(index, id);
	return wanted.filter((index) => !claimed.has(index));
}

async function insertPart(
	trx: Knex,
	{ customerId, batchId }: BatchPlace,
	rows: readonly IntakeRow[],
	ids: string[],
	hashes: string[]
): Promise<readonly string[]> {
	const { rowCount } = await trx.raw(
		`insert into unit (id, serial, maker_id, model_id, customer_id, batch_id, line, mac, claim_hash)
		select u.id, u.serial, model.maker_id, model.id, ?, ?, u.line, u.mac, decode(u.hash, 'hex')
		from unnest(?::uuid[], ?::text[], ?::text[], ?::int[], ?::macaddr[], ?::text[]) as u(id, serial, model, line, mac, hash)
		join model on model.id = u.model
		on conflict do nothing`,
		[
			customerId,
			batchId,
			ids,
			rows.map(({ serial }) => serial),
			rows.map(({ modelId }) => modelId!),
			rows.map(({ line }) => line),
			rows.map(({ mac }) => mac) as string[],
			hashes
		]
	);
	if (rowCount === ids.length) return ids;
	return (await trx('unit').whereIn('id', ids).select('id')).map(({ id }) => id);
}

async function knownUnits(trx: Knex, customerId: string, rows: readonly IntakeRow[]): Promise<KnownUnit[]> {
	const { rows: found } = await trx.raw(
		'select serial, maker_id as "makerId", mac::text, ours from limen_taken(?, ?::text[], ?::macaddr[])',
		[customerId, rows.map(({ serial }) => serial), rows.flatMap(({ mac }) => mac ?? [])]
	);
	return found;
}

async function keep(
	trx: Knex,
	{ customerId, batchId }: BatchPlace,
	judged: readonly JudgedRow[],
	claimed: ReadonlyMap<number, string>,
	models: readonly IntakeModel[],
	actor: Actor
): Promise<Omit<BatchOutcome, 'heading'>> {
	const modelOf = new Map(models.map((model) => [model.id, model]));
	// A claimed row is its unit; here is what came of the others
	const others = judged.flatMap((row, index) =>
		row.verdict === 'claimed' ? [] : [{ ...row, ordinal: index + 1 }]
	);
	await trx.raw(
		`insert into batch_row (batch_id, customer_id, ordinal, line, serial, mac, verdict, reason)
		select ?, ?, r.* from unnest(?::int[], ?::int[], ?::text[], ?::macaddr[], ?::text[], ?::text[]) r`,
		[
			batchId,
			customerId,
			others.map(({ ordinal }) => ordinal),
			others.map(({ line }) => line),
			others.map(({ serial }) => serial.toWellFormed()),
			others.map(({ mac }) => mac) as string[],
			others.map(({ verdict }) => verdict),
			others.map(({ reason }) => reason.toWellFormed())
		]
	);
	const counts = { claimed: 0, 'already-ours': 0, repeated: 0, refused: 0, malformed: 0 };
	for (const { verdict } of judged) counts[verdict]++;
	await enterInLedger(trx, actor, [
		{
			act: 'claim',
			customerId,
			subjectKind: 'batch',
			subjectId: batchId,
			words: `${counts.claimed} of ${judged.length} ${judged.length === 1 ? 'row' : 'rows'} claimed.`,
			detail: counts
		}
	]);
	await notify(trx, 'units', customerId);
	return {
		batchId,
		counts,
		rows: judged.map((row, index) => ({
			line: row.line,
			raw: row.raw,
			serial: row.serial,
			mac: row.mac,
			verdict: row.verdict,
			reason: row.reason,
			unitId: claimed.get(index) ?? null,
			modelName: row.modelId ? modelOf.get(row.modelId)!.name : null,
			repairs: row.repairs.map(({ serial }) => serial),
			place: row.place
		}))
	};
}
