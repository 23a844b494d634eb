import { counted } from '../../../../core/text';
import type { Knex } from 'knex';
import { MASK, readValue, writeValue, type Value, type Values } from '../../../../core/profile';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { renderingSources, sealedValues, type RenderingSource } from '../../profile';
import { followByHand, type HandGiven } from '../pools/allotting';
import { toldAcross } from '../tunnels';
import { SHEET_TARGETS, sheetColumns, type SheetColumn, type SheetTarget } from './sheet';

/** One cell as somebody wants it. */
export interface ValueChange {
	readonly positionId: string;
	readonly field: string;
	/** Where it is given; else where its field expects it. */
	readonly target?: SheetTarget | undefined;
	/** As they saw it: who changes what somebody else has changed meanwhile is told. Left out by an act that looked itself. */
	readonly was?: string | undefined;
	/** As typed; empty clears it. */
	readonly now: string;
}
export interface CellProblem {
	readonly positionId: string;
	readonly field: string;
	readonly message: string;
}
export type SavedValues =
	/** `across`: the other ends of tunnels, whose configurations change as well. */
	| { readonly ok: true; readonly done: { readonly cells: number; readonly across: readonly string[] } }
	| { readonly ok: false; readonly problem: string; readonly cells: readonly CellProblem[] };

/** What of a rendering's source holds the values of a target. */
const HOLDERS = { customer: 'customerId', site: 'siteId', position: 'positionId' } as const;

interface Wanted {
	readonly change: ValueChange & { readonly was: string };
	readonly source: RenderingSource;
	readonly column: SheetColumn;
	readonly holder: string;
	readonly value: Value | null;
	/** It is given already: a secret that is given once more is no younger for that. */
	readonly isThere: boolean;
}

/**
 * Saves cells of the sheet: all, or none with the list of what is wrong. Whoever may set values for the
 * customer may do it. A field that a pool gives values to takes only what the pool has free.
 */
export async function saveValues(changes: readonly ValueChange[], actor: Actor): Promise<SavedValues> {
	try {
		return await database().transaction(async (trx): Promise<SavedValues> => {
			const saved = await saveValuesIn(trx, changes, actor);
			if (!saved.ok) throw new NotSaved(saved.cells);
			return saved;
		});
	} catch (error) {
		if (!(error instanceof NotSaved)) throw error;
		return notSaved(error.cells);
	}
}

const notSaved = (cells: readonly CellProblem[]): SavedValues & { readonly ok: false } => ({
	ok: false,
	problem: `${cells.length === 1 ? 'One cell is' : `${cells.length} cells are`} wrong. Nothing was saved.`,
	cells
});

/** The same as part of another act, whose transaction is taken back where it is refused. */
export async function saveValuesIn(
	trx: Knex,
	changes: readonly ValueChange[],
	actor: Actor
): Promise<SavedValues> {
	const problems: CellProblem[] = [];
	const wanted = await read(trx, changes, actor, problems);
	problems.push(...doubled(wanted));
	if (problems.length === 0) problems.push(...(await followingPools(trx, wanted)));
	if (problems.length > 0) return notSaved(problems);
	await write(trx, wanted, actor);
	const across = await toldAcross(
		trx,
		wanted.map(({ change, column }) => ({ ...change, target: column.target }))
	);
	return { ok: true, done: { cells: wanted.length, across } };
}
/** Takes back what the transaction has done so far. */
class NotSaved extends Error {
	constructor(readonly cells: readonly CellProblem[]) {
		super();
	}
}

async function followingPools(trx: Knex, wanted: readonly Wanted[]): Promise<readonly CellProblem[]> {
	const given = wanted.map(({ source, column, holder, value }): HandGiven => ({
		customerId: source.customerId,
		field: column.field.name,
		scope: column.target,
		holder,
		value
	}));
	return [...(await followByHand(trx, given))].map(([index, message]) => {
		const { positionId, field } = wanted[index]!.change;
		return { positionId, field, message };
	});
}

/** Reads what is wanted, with the rows locked that it is stored in. */
async function read(
	trx: Knex,
	changes: readonly ValueChange[],
	actor: Actor,
	problems: CellProblem[]
): Promise<readonly Wanted[]> {
	const ids = [...new Set(changes.map(({ positionId }) => positionId))];
	await trx.raw(
		'select 1 from customer where id in (select customer_id from position where id = any(?::uuid[])) order by id for no key update',
		[ids]
	);
	await trx.raw(
		'select 1 from site where id in (select site_id from position where id = any(?::uuid[])) order by id for update',
		[ids]
	);
	await trx('position').whereIn('id', ids).orderBy('id').forUpdate().select('id');
	const sources = await renderingSources(trx, ids);
	const columns = new Map<string, readonly SheetColumn[]>();
	const wanted: Wanted[] = [];
	for (const change of changes) {
		const wrong = (message: string) =>
			problems.push({ positionId: change.positionId, field: change.field, message });
		const source = sources.get(change.positionId);
		if (!source) {
			wrong('There is no such position.');
			continue;
		}
		if (!actor.may('set values', source.customerId)) {
			wrong('You may not set values for this customer.');
			continue;
		}
		let own = columns.get(source.profileId);
		if (!own)
			columns.set(
				source.profileId,
				(own = await sheetColumns({ profileId: source.profileId, all: true, draft: true }, trx))
			);
		const expected = own.find(({ field }) => field.name === change.field);
		if (!expected) {
			wrong(`The profile of ${source.positionName} has no field “${change.field}”.`);
			continue;
		}
		const column = { ...expected, target: change.target ?? expected.target };
		const present = source.scoped[column.target]?.[change.field];
		const seen = present === undefined ? '' : column.secret ? MASK : writeValue(present);
		if (change.was !== undefined && seen !== change.was) {
			wrong(`Somebody changed this meanwhile; it is ${seen === '' ? 'empty' : `“${seen}”`} now.`);
			continue;
		}
		const reading = change.now === '' ? null : readValue(column.field.type, change.now);
		if (reading?.ok === false) {
			wrong(reading.message);
			continue;
		}
		wanted.push({
			change: { ...change, was: seen },
			source,
			column,
			holder: source[HOLDERS[column.target]],
			value: reading?.value ?? null,
			isThere: present !== undefined && present === reading?.value
		});
	}
	return wanted;
}

/** Cells of one place that want different values: two rows of a site, or one row twice. */
function doubled(wanted: readonly Wanted[]): readonly CellProblem[] {
	const first = new Map<string, Wanted>();
	const problems: CellProblem[] = [];
	for (const one of wanted) {
		const key = `${one.holder} ${one.column.field.name}`;
		const other = first.get(key);
		if (!other) first.set(key, one);
		else if (JSON.stringify(other.value) !== JSON.stringify(one.value))
			problems.push({
				positionId: one.change.positionId,
				field: one.change.field,
				message: `${other.source.positionName} at ${other.source.siteName} wants “${other.change.now}”, and this is one value for the whole ${one.column.target}.`
			});
	}
	return problems;
}

const heldBy = ({ source, column: { target } }: Wanted): string =>
	target === 'customer'
		? source.customerName
		: `${source.siteName}${target === 'site' ? '' : ` ${source.positionName}`}`;

async function write(trx: Knex, wanted: readonly Wanted[], actor: Actor): Promise<void> {
	for (const target of SHEET_TARGETS) {
		const holders = new Map<string, Record<string, Value | null>>();
		for (const { column, holder, value, isThere } of wanted)
			if (column.target === target && !isThere)
				holders.set(holder, { ...holders.get(holder), [column.field.name]: value });
		if (holders.size === 0) continue;
		const rows = await Promise.all(
			[...holders].map(async ([id, values]) => {
				const kept = Object.entries(values).filter(([, value]) => value !== null) as [string, Value][];
				return {
					id,
					gone: Object.keys(values).filter((name) => values[name] === null),
					given: await sealedValues(trx, Object.fromEntries(kept) as Values)
				};
			})
		);
		await trx.raw(
			`update ${target} set values = (${target}.values - array(select jsonb_array_elements_text(w.gone))) || w.given
			from jsonb_to_recordset(?::jsonb) as w(id uuid, gone jsonb, given jsonb) where ${target}.id = w.id`,
			[JSON.stringify(rows)]
		);
	}
	for (const customerId of new Set(wanted.map(({ source }) => source.customerId))) {
		const own = wanted.filter(({ source }) => source.customerId === customerId);
		const sites = new Set(own.map(({ source }) => source.siteId)).size;
		const listed = (side: (one: Wanted) => string) =>
			Object.fromEntries(own.map((one) => [`${heldBy(one)} ${one.column.field.name}`, side(one)]));
		await notify(trx, 'plan', customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'set values',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `${counted(own.length, 'value')} set at ${sites === 1 ? own[0]!.source.siteName : `${sites} sites`}.`,
				before: listed(({ change }) => change.was),
				after: listed(({ change, column }) => (column.secret && change.now !== '' ? MASK : change.now))
			}
		]);
	}
}
