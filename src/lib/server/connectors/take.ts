import type { Knex } from 'knex';
import * as v from 'valibot';
import { ONE_OF, type CellDifference, type ConnectorVerdict } from '../../../core/connector';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enqueue } from '../database';
import { oneId } from '../forms';
import { unseal } from '../keys';
import type { Actor } from '../ledger';
import { beginLongWork } from '../jobs';
import { changePosition, makePosition } from './take-positions';
import { changeSiteAsThere, makeSite } from './take-sites';
import { CONNECTOR_GONE, entered, ofTheirs, type StatedConnector } from './state';
import { remember } from './remember';

/** The long work of taking a source's records over, and the job of taking its units in. */
export const TAKE_OVER = 'take over from a connector';
export const TAKE_UNITS = 'take in units of a connector';

/** What the database's constraints mean here. */
export const TAKE_REFUSALS = {
	site_customer_id_name_key: 'The customer has a site of this name already.',
	position_site_id_name_key: 'The site has a position of this name already.',
	technician_of_customer: 'This technician does not work for the customer.'
};

const MEANWHILE = 'It has been changed here since it was compared. Compare again.';
const OLD = 'There is a newer comparison. Look at that one.';

export const runSchema = v.object({ run: oneId('Which comparison?') });

interface Compared {
	readonly id: string;
	readonly connector_id: string;
	readonly state: string;
	readonly is_look: boolean;
	readonly work_id: string | null;
	readonly taker_id: string | null;
}
/** An act on the last comparison of a connector. */
const onLast = async <Given>(
	runId: string,
	actor: Actor,
	act: (trx: Knex, connector: StatedConnector, run: Compared) => Promise<Act<Given>>
): Promise<Act<Given>> =>
	changing(async (trx) => {
		const run: Compared | undefined = await trx('connector_run').where({ id: runId }).first();
		return run ? inTransaction(trx, run, actor, act) : refuse('There is no such comparison any more.');
	}, TAKE_REFUSALS);

async function inTransaction<Given>(
	trx: Knex,
	{ id, connector_id }: Pick<Compared, 'id' | 'connector_id'>,
	actor: Actor,
	act: (trx: Knex, connector: StatedConnector, run: Compared) => Promise<Act<Given>>
): Promise<Act<Given>> {
	const connector = await ofTheirs(trx, connector_id, actor);
	if (!connector.ok) return connector;
	const last: Compared | undefined = await trx('connector_run')
		.where({ connector_id, is_look: false, state: 'compared' })
		.orderBy('id', 'desc')
		.first();
	return last?.id === id ? act(trx, connector.done, last) : refuse(OLD);
}

/**
 * Takes over what is new and what was changed there only, beside the requests; where both sides changed something, the rest
 * of it. Whoever plans the customer's sites may. What somebody has changed here since is refused, one by one.
 */
export const takeIn = (
	{ run: runId }: v.InferOutput<typeof runSchema>,
	actor: Actor & { readonly personId?: string | null }
): Promise<Act<{ readonly count: number }>> =>
	onLast(runId, actor, async (trx, connector, run) => {
		if (!actor.personId) return refuse('Only a person can begin this.');
		const isUnderWay =
			run.taker_id !== null ||
			(run.work_id !== null &&
				(await trx('long_work').where({ id: run.work_id, state: 'under way' }).first('id')) !== undefined);
		if (isUnderWay) return refuse('It is being taken over just now.');
		const rows: { ordinal: number; name: string; verdict: ConnectorVerdict }[] = await trx('connector_row')
			.where({ run_id: runId })
			.whereNull('taken_at')
			.whereRaw(
				`(verdict in ('new', 'changed') or verdict = 'conflict' and exists (
					select from jsonb_array_elements(differences) one where not (one ->> 'isConflict')::boolean))`
			)
			.orderBy('ordinal')
			.select('ordinal', 'name', 'verdict');
		if (rows.length === 0) return refuse('There is nothing to take over.');
		const title = `Taking over ${counted(rows.length, ONE_OF[connector.kind])} from “${connector.name}”`;
		if (connector.kind === 'units') {
			await trx('connector_run').where({ id: runId }).update({ taker_id: actor.personId, taker: actor.name });
			await enqueue(trx, TAKE_UNITS, { run: runId }, { key: `${TAKE_UNITS} ${runId}` });
		} else {
			const things = rows.map(({ ordinal, name }) => ({
				customerId: connector.customer_id,
				subject: name,
				about: { run: runId, row: String(ordinal) }
			}));
			const begun = await beginLongWork(trx, { kind: TAKE_OVER, title, things }, actor);
			if (!begun.ok) return begun;
			await trx('connector_run').where({ id: runId }).update({ work_id: begun.done.id });
		}
		await entered(trx, actor, connector, { act: 'take over', words: `${title} was begun.` });
		return done({ count: rows.length });
	});

interface Row {
	readonly run_id: string;
	readonly ordinal: number;
	readonly key: string;
	readonly name: string;
	readonly verdict: ConnectorVerdict;
	readonly thing_id: string | null;
	readonly differences: readonly CellDifference[];
	readonly base: string;
}
const baseOf = ({ base }: Row): Readonly<Record<string, string>> =>
	JSON.parse(base.startsWith('{') ? base : unseal(base));

const openRow = (trx: Knex, runId: string, ordinal: number): Promise<Row | undefined> =>
	trx('connector_row').where({ run_id: runId, ordinal, taken_at: null }).forUpdate().first();

/** One record of a comparison is taken over; a turn of long work. */
export async function takeRow(
	trx: Knex,
	{ run: runId, row: ordinal }: Readonly<Record<string, string>>,
	actor: Actor
): Promise<Act<string>> {
	const run: Compared | undefined = await trx('connector_run').where({ id: runId }).first();
	if (!run) return refuse(CONNECTOR_GONE);
	return inTransaction(trx, run, actor, async (_, connector) => {
		const row = await openRow(trx, run.id, Number(ordinal));
		if (!row) return done('Somebody has decided it meanwhile.');
		if (row.verdict === 'new') return takeNew(trx, connector, row, actor);
		const theirs = row.differences.filter(({ isConflict }) => !isConflict);
		const changed = await apply(trx, connector, row, theirs, actor);
		if (!changed.ok) return changed;
		await remember(trx, connector, [
			{ key: row.key, name: row.name, thingId: row.thing_id, base: baseOf(row) }
		]);
		const left = row.differences.filter(({ isConflict }) => isConflict);
		await noteTaken(trx, row, left);
		return done(
			`${theirs.map(({ what }) => what).join(', ')} changed${left.length > 0 ? `; ${left.map(({ what }) => what).join(', ')} is to be decided` : ''}.`
		);
	});
}

async function takeNew(trx: Knex, connector: StatedConnector, row: Row, actor: Actor): Promise<Act<string>> {
	const cells = baseOf(row);
	const made = await (connector.kind === 'sites' ? makeSite : makePosition)(trx, connector, cells, actor);
	if (!made.ok) return made;
	await remember(trx, connector, [{ key: row.key, name: row.name, thingId: made.done.id, base: cells }]);
	await trx('connector_row')
		.where({ run_id: row.run_id, ordinal: row.ordinal })
		.update({ thing_id: made.done.id });
	await noteTaken(trx, row, []);
	return done('Planned.');
}

const apply = (
	trx: Knex,
	{ kind, customer_id }: StatedConnector,
	{ thing_id }: Row,
	differences: readonly CellDifference[],
	actor: Actor
): Promise<Act> =>
	(kind === 'sites' ? changeSiteAsThere : changePosition)(
		trx,
		{ id: thing_id!, customerId: customer_id, differences, meanwhile: MEANWHILE },
		actor
	);

/** A row stays open for what is left of it to be decided. */
const noteTaken = (trx: Knex, { run_id, ordinal }: Row, left: readonly CellDifference[]): Promise<unknown> =>
	trx('connector_row')
		.where({ run_id, ordinal })
		.update(left.length === 0 ? { taken_at: trx.fn.now() } : { differences: JSON.stringify(left) });

export const decisionSchema = v.object({
	run: oneId('Which comparison?'),
	row: v.pipe(v.string('Which one?'), v.regex(/^\d{1,9}$/, 'Which one?'), v.transform(Number)),
	side: v.picklist(['here', 'there'], 'Which side?')
});

/**
 * Decides what was changed on both sides: as it is here, which is then asked no more until the source changes it again; or as
 * it is there. Whoever plans the customer's sites may.
 */
export const decide = (
	{ run: runId, row: ordinal, side }: v.InferOutput<typeof decisionSchema>,
	actor: Actor
): Promise<Act> =>
	onLast(runId, actor, async (trx, connector) => {
		const row = await openRow(trx, runId, ordinal);
		if (!row || row.verdict !== 'conflict') return refuse('Somebody has decided it already.');
		const theirs = row.differences.filter(({ isConflict }) => side === 'there' || !isConflict);
		const changed = await apply(trx, connector, row, theirs, actor);
		if (!changed.ok) return changed;
		const said = Object.fromEntries(row.differences.map(({ what, there }) => [what, there]));
		const base = { ...baseOf(row), ...said };
		await remember(trx, connector, [{ key: row.key, name: row.name, thingId: row.thing_id, base }]);
		await noteTaken(trx, row, []);
		await entered(trx, actor, connector, {
			act: 'decide conflict',
			words: `${row.name}: ${row.differences.map(({ what }) => what).join(', ')} is as ${side === 'here' ? 'it is here' : `“${connector.name}” says`}.`
		});
		return done(undefined);
	});
