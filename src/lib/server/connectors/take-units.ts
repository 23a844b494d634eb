import type { Knex } from 'knex';
import { bindOnTheWay } from '../binding';
import { database, enqueue, runAs } from '../database';
import { claimBatch, type RowOutcome } from '../intake';
import { DONE_AT_ONCE } from '../jobs';
import { unseal } from '../keys';
import { notify } from '../live';
import { log } from '../log';
import { actorById } from '../people';
import { remember } from './remember';
import { TAKE_UNITS } from './take';
import { unitList } from './world';

interface Taking {
	readonly id: string;
	readonly connector_id: string;
	readonly customer_id: string;
	readonly taker_id: string;
	readonly taker: string;
}
interface Row {
	readonly ordinal: number;
	readonly key: string;
	readonly name: string;
	readonly base: string;
}

/**
 * Takes in the new units of a comparison, batch by batch, each bound where its record says. Runs as BOOTSTRAP; taken in as
 * whoever wanted it. Done again after a kill, it goes on: a unit that was claimed is not claimed twice.
 */
export async function takeUnits(runId: string, { last }: { readonly last: boolean }): Promise<void> {
	const run: Taking | undefined = await database()('connector_run')
		.where({ id: runId })
		.whereNotNull('taker_id')
		.first();
	if (!run) return;
	try {
		await takeAll(run);
	} catch (error) {
		// Tried again; and when it is given up, whoever wants to can begin it anew
		if (!last) throw error;
		log.error(
			{ connector: run.connector_id, error: (error as Error).stack },
			'units of a connector could not be taken in'
		);
	}
	await database().transaction(async (trx) => {
		await trx('connector_run').where({ id: runId }).update({ taker_id: null, taker: null });
		await notify(trx, 'connectors', run.customer_id, [run.connector_id]);
	});
}

async function takeAll(run: Taking): Promise<void> {
	const actor = await actorById(run.taker_id, run.taker, null);
	await runAs({ kind: 'person', personId: run.taker_id }, async () => {
		for (let rows = await next(run.id, 0); rows.length > 0; rows = await next(run.id, rows.at(-1)!.ordinal)) {
			const list = unitList(rows.map(({ base }) => ({ cells: JSON.parse(unseal(base)) })));
			const claimed = await claimBatch(run.customer_id, list, actor);
			if (claimed.ok) await bindOnTheWay(run.customer_id, claimed.done, actor);
			await database().transaction((trx) =>
				note(trx, run, rows, claimed.ok ? claimed.done.rows : [], claimed.ok ? '' : claimed.problem)
			);
		}
	});
}

const next = (runId: string, after: number): Promise<Row[]> =>
	database()('connector_row')
		.where({ run_id: runId, verdict: 'new', taken_at: null })
		.where('ordinal', '>', after)
		.orderBy('ordinal')
		// This is a job itself: no more than are bound without beginning another
		.limit(DONE_AT_ONCE)
		.select('ordinal', 'key', 'name', 'base');

/** What became of each: taken in, or why not. */
async function note(
	trx: Knex,
	run: Taking,
	rows: readonly Row[],
	outcomes: readonly RowOutcome[],
	problem: string
): Promise<void> {
	// Below the headings, in the same order
	const byLine = new Map(outcomes.map((one) => [one.line - 2, one]));
	const became = rows.map(({ ordinal, key, name }, index) => {
		const one = byLine.get(index);
		const problems = one?.unitId ? [] : [one?.reason || problem || 'It was not taken in.'];
		return {
			ordinal,
			key,
			name,
			thingId: one?.unitId ?? null,
			problems,
			base: { 'serial number': one?.serial ?? name }
		};
	});
	await remember(
		trx,
		{ id: run.connector_id, customer_id: run.customer_id },
		became.filter(({ thingId }) => thingId !== null)
	);
	await trx.raw(
		`update connector_row set thing_id = b."thingId", taken_at = case when b."thingId" is not null then now() end,
			verdict = case when b."thingId" is null then 'refused' else verdict end, problems = array(select jsonb_array_elements_text(b.problems))
		from jsonb_to_recordset(:became::jsonb) as b(ordinal int, "thingId" uuid, problems jsonb)
		where run_id = :run and connector_row.ordinal = b.ordinal`,
		{ run: run.id, became: JSON.stringify(became) }
	);
	await notify(trx, 'connectors', run.customer_id, [run.connector_id]);
}

/** What was being taken in has its job: the queue is not backed up. Runs as BOOTSTRAP. */
export async function adoptUnits(): Promise<void> {
	const open: { id: string }[] = await database()('connector_run').whereNotNull('taker_id').select('id');
	for (const { id } of open)
		await enqueue(database(), TAKE_UNITS, { run: id }, { key: `${TAKE_UNITS} ${id}` });
}
