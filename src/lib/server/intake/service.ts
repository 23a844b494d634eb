import { counted } from '../../../core/text';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	isBad,
	judgeRows,
	readIntake,
	type IntakeReading,
	type IntakeRow,
	type JudgedRow,
	type KnownUnit,
	type Meaning,
	type Verdict
} from '../../../core/intake';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { seal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { GivenUp, offMainThread, task } from '../threads';
import { insertUnits, type BatchPlace } from './insert-units';
import { askAgainForRefused, inPlaceOf, settleRows, type Mending } from './mending';
import { intakeModels, type IntakeModel } from './models';
import { knownNames, rememberLayout } from './suppliers';

/** What happened to one row. The row as given goes back to whoever gave it; it holds a claim code, and is kept sealed. */
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
	/** The rows above the first unit, which were read as headings. */
	readonly above: readonly string[];
	/** What was not read as rows, such as a greeting; the first of it. */
	readonly passedOver: readonly string[];
}

export interface ClaimOptions {
	/** The batch whose rows come again. */
	readonly mending?: Mending | null;
	/** What each column is about, when somebody said it. */
	readonly columns?: readonly (Meaning | null)[] | null;
	/** Whose list it is: how it was read is remembered for the next one. */
	readonly supplier?: string;
}

/**
 * Takes in units from pasted text or a CSV file for a customer. Good rows become claimed units, every row
 * gets its verdict, and the batch is kept. Refused as a whole only when the text is no list or empty.
 * Sending the same again changes nothing. Of a maker with a registry, units are ours once it has confirmed:
 * it is asked after the transaction, and what it refuses comes back.
 */
export async function claimBatch(
	customerId: string,
	text: string,
	actor: Actor,
	options: ClaimOptions = {}
): Promise<Act<BatchOutcome>> {
	if (!actor.may('claim', customerId)) return refuse(NOT_CLAIMED_BY_YOU);
	const list = await readForIntake(customerId, text, options.columns);
	return list.ok
		? database().transaction((trx) => claimIn(trx, customerId, list.done, actor, options))
		: list;
}
const NOT_CLAIMED_BY_YOU = 'You may not claim units for this customer.';

/** A list that was read, and by which models. */
export interface ListForIntake {
	readonly reading: IntakeReading & { readonly ok: true };
	readonly models: readonly IntakeModel[];
}
/** Reads a list of units. Refused when it is none, or empty. */
export async function readForIntake(
	customerId: string,
	text: string,
	columns: ClaimOptions['columns'] = null
): Promise<Act<ListForIntake>> {
	const [models, names] = await Promise.all([intakeModels(database()), knownNames(customerId)]);
	const reading = await readApart(text, models, columns, names);
	if (!reading.ok) return refuse(reading.problem);
	if (reading.rows.length === 0) return refuse('There is nothing to take in: paste one unit a line.');
	return done({ reading, models });
}

/** Takes in what was read, as part of another act. */
async function claimIn(
	trx: Knex,
	customerId: string,
	{ reading, models }: ListForIntake,
	actor: Actor,
	{ mending = null, supplier = '' }: ClaimOptions = {}
): Promise<Act<BatchOutcome>> {
	if (!actor.may('claim', customerId)) return refuse(NOT_CLAIMED_BY_YOU);
	const batchId = mending?.batchId ?? uuid();
	let given: readonly IntakeRow[] = reading.rows;
	if (mending) {
		const settled = await settleRows(trx, customerId, mending, actor);
		if (!settled.ok) return settled;
		given = await inPlaceOf(trx, batchId, settled.done, given);
	} else
		await trx('batch').insert({
			id: batchId,
			customer_id: customerId,
			taken_by: actor.name,
			heading: reading.heading && seal(reading.heading)
		});
	const claimed = new Map<number, string>();
	const makerOf = makersOf(models);
	let known: KnownUnit[] = [];
	for (;;) {
		const judged = judgeRows(given, known, makerOf);
		// In one order for everybody: two people with the same units cannot wait for each other
		const wanted = judged
			.flatMap(({ verdict }, index) => (verdict === 'claimed' && !claimed.has(index) ? [index] : []))
			.sort((a, b) => (given[a]!.serial < given[b]!.serial ? -1 : 1));
		const refused = await insertUnits(trx, { customerId, batchId }, given, wanted, claimed);
		if (refused.length === 0) {
			await askAgainForRefused(trx, customerId, judged);
			if (supplier && reading.layout) await rememberLayout(trx, supplier, reading.layout, customerId, actor);
			return done({
				...(await keep(trx, { customerId, batchId }, judged, claimed, models, actor)),
				heading: reading.heading,
				above: reading.layout?.above ?? [],
				passedOver: reading.passedOver.slice(0, MOST_TOLD)
			});
		}
		// Somebody has them, perhaps since a moment ago: now it can be seen who
		known = [
			...known,
			...(await knownUnits(
				trx,
				customerId,
				refused.map((index) => given[index]!)
			))
		];
	}
}

const makersOf = (models: readonly IntakeModel[]) => {
	const makers = new Map(models.map((model) => [model.id, model.makerId]));
	return (modelId: string): string => makers.get(modelId)!;
};

/** What would come of each row of a list now; nothing is taken in. */
export const judgeForIntake = async (
	customerId: string,
	{ reading, models }: ListForIntake
): Promise<readonly JudgedRow[]> =>
	judgeRows(reading.rows, await knownUnits(database(), customerId, reading.rows), makersOf(models));

const MOST_TOLD = 20;
/** Texts up to this are read in less time than others would notice. */
const SMALL = 8 * 1024;
const READ_INTAKE = task<Parameters<typeof readIntake>, IntakeReading>('readIntake');

/** A list, read beside the main thread when it is long: every row that fits nothing is tried for look-alikes. */
async function readApart(...given: Parameters<typeof readIntake>): Promise<IntakeReading> {
	if (given[0].length <= SMALL) return readIntake(...given);
	try {
		return await offMainThread(READ_INTAKE, given, LONGEST_READ_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return {
			ok: false,
			problem: 'This list takes too long to read. Send it in parts. Nothing was taken in.'
		};
	}
}
const LONGEST_READ_MS = 30_000;

async function knownUnits(trx: Knex, customerId: string, rows: readonly IntakeRow[]): Promise<KnownUnit[]> {
	const { rows: found } = await trx.raw(
		'select serial, maker_id as "makerId", mac::text, ours from limen_taken(?, ?::text[], ?::macaddr[])',
		[customerId, rows.map(({ serial }) => serial), rows.flatMap(({ mac }) => mac ?? [])]
	);
	return found;
}

/** A row longer than this was no unit's. */
const LONGEST_KEPT = 2000;

async function keep(
	trx: Knex,
	{ customerId, batchId }: BatchPlace,
	judged: readonly JudgedRow[],
	claimed: ReadonlyMap<number, string>,
	models: readonly IntakeModel[],
	actor: Actor
): Promise<Omit<BatchOutcome, 'heading' | 'above' | 'passedOver'>> {
	const modelOf = new Map(models.map((model) => [model.id, model]));
	// A claimed row is its unit; here is what came of the others
	const others = judged.flatMap((row, index) =>
		row.verdict === 'claimed' ? [] : [{ ...row, ordinal: index + 1 }]
	);
	const { rows: before } = await trx.raw(
		'select coalesce(max(ordinal), 0)::int as last from batch_row where batch_id = ?',
		[batchId]
	);
	await trx.raw(
		`insert into batch_row (batch_id, customer_id, ordinal, line, serial, mac, verdict, reason, raw)
		select ?, ?, r.* from unnest(?::int[], ?::int[], ?::text[], ?::macaddr[], ?::text[], ?::text[], ?::text[]) r`,
		[
			batchId,
			customerId,
			others.map(({ ordinal }) => before[0].last + ordinal),
			others.map(({ line }) => line),
			others.map(({ serial }) => serial.toWellFormed()),
			others.map(({ mac }) => mac) as string[],
			others.map(({ verdict }) => verdict),
			others.map(({ reason }) => reason.toWellFormed()),
			// It holds a claim code: sealed, and gone when it is mended or dropped
			others.map(({ verdict, raw }) =>
				isBad(verdict) ? seal(raw.slice(0, LONGEST_KEPT).toWellFormed()) : null
			) as string[]
		]
	);
	const counts = {
		claimed: 0,
		'already-ours': 0,
		repeated: 0,
		refused: 0,
		malformed: 0,
		'unknown-model': 0
	};
	for (const { verdict } of judged) counts[verdict]++;
	await enterInLedger(trx, actor, [
		{
			act: 'claim',
			customerId,
			subjectKind: 'batch',
			subjectId: batchId,
			words: `${counts.claimed} of ${counted(judged.length, 'row')} claimed.`,
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
