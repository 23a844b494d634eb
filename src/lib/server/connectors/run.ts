import type { Knex } from 'knex';
import {
	compareSource,
	countVerdicts,
	lostMuch,
	mapTable,
	NEEDED_TARGETS,
	ONE_OF,
	type ComparedRecord,
	type Mapping,
	type Remembered,
	type Table,
	type ToCompare
} from '../../../core/connector';
import { counted } from '../../../core/text';
import { endAlertOf, raise } from '../alerts';
import { database, enqueue, runAs } from '../database';
import { seal, unseal } from '../keys';
import { notify } from '../live';
import { log } from '../log';
import { actorById } from '../people';
import { GivenUp, offMainThread, task } from '../threads';
import { collect, newestFile } from './collect';
import { RUN_CONNECTOR, toRun, type StatedConnector } from './state';
import { remember } from './remember';
import { takeIn } from './take';
import { toCompare } from './world';

interface Row extends StatedConnector {
	readonly url: string | null;
	readonly header: string;
	readonly header_value: string | null;
	readonly records: string;
	readonly next_page: string;
	readonly by_itself: boolean;
	readonly every_minutes: number | null;
	readonly person_id: string;
	readonly stated_by: string;
	readonly last_file: string;
}
interface Run {
	readonly id: string;
	readonly asked_by: string | null;
	readonly is_look: boolean;
}

const COMPARE = task<ToCompare, ReturnType<typeof compareSource>>('compareSource');
const COMPARE_WITHIN_MS = 5 * 60_000;
/** As often it fails on end until a person is told. */
const TOLD_AFTER = 3;
const SAMPLES = 3;
const LONGEST_SAMPLE = 80;

/** One reading's turn, as BOOTSTRAP; what stands here is read as whoever stated the connector. Done again, it does the same again. */
export async function readConnector(id: string, { last }: { readonly last: boolean }): Promise<void> {
	const run: (Run & { connector_id: string }) | undefined = await database()('connector_run')
		.where({ id, state: 'waiting' })
		.first('id', 'asked_by', 'is_look', 'connector_id');
	const connector: Row | undefined =
		run && (await database()('connector').where({ id: run.connector_id }).first());
	if (!run || !connector) return;
	try {
		const failure = await readAndCompare(run, connector);
		if (failure !== null) await failed(run, connector, failure);
	} catch (error) {
		if (error instanceof GivenUp)
			return failed(run, connector, 'It takes too long to compare. Bring it in parts.');
		if (!last) throw error;
		log.error({ connector: connector.id, error: (error as Error).stack }, 'a connector could not be read');
		await failed(run, connector, 'Limen could not read it. The log of Limen says more.');
	}
}

/** Reads, compares and keeps what came of it; or why not. */
async function readAndCompare(run: Run, connector: Row): Promise<string | null> {
	const collected = await collect({
		id: connector.id,
		url: connector.url,
		headers:
			connector.header && connector.header_value
				? { [connector.header]: unseal(connector.header_value) }
				: {},
		records: connector.records,
		nextPage: connector.next_page
	});
	if (!collected.ok) return collected.problem;
	const seen = samplesOf(collected.table, connector.kind);
	if (run.is_look) {
		await keep(run, connector, { seen, file: connector.last_file, records: [], notice: '' });
		return null;
	}
	const { person_id: personId, stated_by: name, customer_id: customerId } = connector;
	const actor = await actorById(personId, name, null);
	if (!actor.may('plan sites', customerId))
		return `${name}, who stated it, may not plan this customer’s sites any more.`;
	const mapped = mapTable(collected.table, connector.mapping as Mapping, NEEDED_TARGETS[connector.kind]);
	if (!mapped.ok) return mapped.problem;
	const remembered = await rememberedOf(connector.id);
	const given = await runAs({ kind: 'person', personId }, () =>
		toCompare({ kind: connector.kind, customerId, patternId: connector.pattern_id }, mapped.rows, remembered)
	);
	const records = await offMainThread(COMPARE, given, COMPARE_WITHIN_MS);
	const gone = records.filter(({ verdict }) => verdict === 'gone').length;
	const tooMuch = lostMuch(gone, remembered.length)
		? `${counted(gone, ONE_OF[connector.kind])} of ${remembered.length.toLocaleString('en')} are gone from it at once. Nothing is taken over by itself before somebody has looked.`
		: '';
	const unsaid =
		mapped.missing.length > 0
			? `No record has ${mapped.missing.map((name) => `“${name}”`).join(', ')}: nothing is said of that.`
			: '';
	const notice = [tooMuch, unsaid].filter(Boolean).join(' ');
	await keep(run, connector, { seen, file: collected.file, records, notice });
	// What the schedule finds is taken over unasked where somebody wants that
	if (run.asked_by === null && connector.by_itself && tooMuch === '')
		await runAs({ kind: 'person', personId }, () => takeIn({ run: run.id }, actor));
	return null;
}

/** Of units only how their cells begin: claim codes are among them. */
const samplesOf = ({ headings, rows }: Table, kind: StatedConnector['kind']) =>
	headings.map((heading, at) => ({
		heading,
		samples: rows
			.flatMap((row) => row[at] || [])
			.slice(0, SAMPLES)
			.map((cell) => (kind === 'units' ? `${cell.slice(0, BEGINS)}…` : cell.slice(0, LONGEST_SAMPLE)))
	}));
const BEGINS = 3;

const rememberedOf = (connectorId: string): Promise<Remembered[]> =>
	database()('connector_record')
		.where({ connector_id: connectorId })
		.orderBy('key')
		.select('key', 'thing_id as thingId', 'name', 'base', database().raw('gone_at is not null as "isGone"'));

interface Read {
	readonly seen: unknown;
	readonly file: string;
	readonly records: readonly ComparedRecord[];
	readonly notice: string;
}

const keep = (run: Run, connector: Row, { seen, file, records, notice }: Read): Promise<void> =>
	database().transaction(async (trx) => {
		const { id: runId } = run;
		const { id, customer_id, kind } = connector;
		const noted = await trx('connector_run')
			.where({ id: runId, state: 'waiting' })
			.update({
				state: 'compared',
				ended_at: trx.fn.now(),
				trouble: notice.slice(0, 500),
				counts: JSON.stringify(countVerdicts(records))
			});
		if (noted === 0) return;
		await trx('connector')
			.where({ id })
			.update({ failures: 0, trouble: '', seen: JSON.stringify(seen), last_file: file });
		await endAlertOf(trx, id, customer_id);
		if (!run.is_look) {
			// A record that nothing differs in is known from now on, as the thing that it is
			await remember(
				trx,
				connector,
				records.filter(({ verdict }) => verdict === 'same')
			);
			await noteGone(trx, id, records);
			await insertRows(
				trx,
				{ runId, customer_id, isSealed: kind === 'units' },
				records.filter(({ verdict }) => verdict !== 'same')
			);
		}
		await notify(trx, 'connectors', customer_id, [id]);
	});

const noteGone = (trx: Knex, id: string, records: readonly ComparedRecord[]): Promise<unknown> =>
	trx.raw(
		`update connector_record set gone_at = case when key = any (:gone::text[]) then coalesce(gone_at, now()) end
		where connector_id = :id and (gone_at is not null) <> (key = any (:gone::text[]))`,
		{ id, gone: records.flatMap(({ verdict, key }) => (verdict === 'gone' ? [key] : [])) }
	);

async function insertRows(
	trx: Knex,
	{
		runId,
		customer_id,
		isSealed
	}: { readonly runId: string; readonly customer_id: string; readonly isSealed: boolean },
	records: readonly ComparedRecord[]
): Promise<void> {
	if (records.length === 0) return;
	const rows = records.map(({ key, name, verdict, thingId, problems, differences, base }) => {
		const text = JSON.stringify(base);
		return {
			key: key.slice(0, LONGEST_SHOWN),
			name: name.slice(0, LONGEST_SHOWN),
			verdict,
			thing: thingId,
			problems,
			differences,
			base: isSealed ? seal(text) : text
		};
	});
	await trx.raw(
		`insert into connector_row (run_id, ordinal, customer_id, key, name, verdict, thing_id, problems, differences, base)
		select :run, ordinal, :customer, r.key, r.name, r.verdict, r.thing, array(select jsonb_array_elements_text(r.problems)), r.differences, r.base
		from rows from (jsonb_to_recordset(:rows::jsonb) as (key text, name text, verdict text, thing uuid, problems jsonb, differences jsonb, base text))
			with ordinality as r(key, name, verdict, thing, problems, differences, base, ordinal)`,
		{ run: runId, customer: customer_id, rows: JSON.stringify(rows) }
	);
}
const LONGEST_SHOWN = 200;

/** Notes that a source could not be read; after some failures on end a person is told. */
const failed = (run: Run, { id, customer_id, name }: Row, problem: string): Promise<void> =>
	database().transaction(async (trx) => {
		const trouble = problem.slice(0, 500);
		const noted = await trx('connector_run')
			.where({ id: run.id, state: 'waiting' })
			.update({ state: 'failed', ended_at: trx.fn.now(), trouble });
		if (noted === 0) return;
		const [row] = await trx('connector')
			.where({ id })
			.update({ failures: trx.raw('failures + 1'), trouble })
			.returning(['failures', 'ended_at']);
		if (row.failures >= TOLD_AFTER && row.ended_at === null)
			await raise(trx, {
				connectorId: id,
				customerId: customer_id,
				kind: 'connector',
				isSame: true,
				words: `The connector “${name}” failed ${row.failures} times in a row. ${trouble}`
			});
		await notify(trx, 'connectors', customer_id, [id]);
	});

/** Has every connector read that is due; one whose folder holds nothing new waits. Runs as BOOTSTRAP. */
export async function readWhatIsDue(): Promise<void> {
	const due: Row[] = await database()('connector')
		.whereNull('ended_at')
		.whereNotNull('every_minutes')
		.whereNotNull('mapping')
		.where('next_at', '<=', database().fn.now())
		.orderBy('next_at')
		.limit(MOST_DUE);
	for (const connector of due) {
		const file = connector.url === null ? await newestFile(connector.id) : null;
		const isNew = connector.url !== null || (file !== null && file.mark !== connector.last_file);
		await database().transaction(async (trx) => {
			const taken = await trx('connector')
				.where({ id: connector.id, edit: connector.edit })
				.where('next_at', '<=', trx.fn.now())
				// What was missed while nothing ran is read once
				.update({ next_at: trx.raw(`now() + make_interval(mins => every_minutes)`) });
			if (taken > 0 && isNew) await toRun(trx, connector, null);
		});
	}
}
const MOST_DUE = 50;

/** Every reading that is waited for has its job: the queue is not backed up. Runs as BOOTSTRAP. */
export async function adoptConnectors(): Promise<void> {
	const waiting: { id: string }[] = await database()('connector_run')
		.where({ state: 'waiting' })
		.select('id');
	for (const { id } of waiting)
		await enqueue(database(), RUN_CONNECTOR, { run: id }, { key: `${RUN_CONNECTOR} ${id}` });
}
