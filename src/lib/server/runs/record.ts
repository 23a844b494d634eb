import type { Knex } from 'knex';
import { advance, leftStep, type RunState } from '../../../core/onboarding';
import type { ReadyCheck } from '../../../core/profile';
import { BOOTSTRAP, database, grouped } from '../database';
import { enterInLedger, LIMEN, type LedgerAct } from '../ledger';
import { seal } from '../keys';
import { CHANNEL, notifications } from '../live';
import { type Happening, type LockedRun, type Recorded } from './happening';
import { takeHostKeys } from './host-keys';

/**
 * Records one happening: the event, the run's new state as core's `advance` says, facts about the unit,
 * and a ledger entry where the run ends, in one transaction; resolves when it is durable. Happenings
 * that come at the same time share a transaction. Rejects when the run does not exist.
 */
export const record = grouped<Happening, Recorded>(BOOTSTRAP, (happenings) =>
	database().transaction((trx) => recordAll(trx, happenings))
);

/** The same for many, inside a transaction of the caller's. The order of happenings is their order. */
export async function recordAll(trx: Knex, happenings: readonly Happening[]): Promise<Recorded[]> {
	const runs = await lockRuns(trx, [...new Set(happenings.map(({ runId }) => runId))]);
	const recorded = happenings.map(({ runId, event }): Recorded => {
		const run = runs.get(runId);
		if (!run) throw new Error(`There is no run ${runId}.`);
		const before = run.state;
		run.state = advance(before, event);
		return { before, after: run.state };
	});
	const keys = await takeHostKeys(trx, happenings, recorded, runs);
	await writeAll(trx, happenings.map(keys.told), recorded, runs);
	await writeFacts(trx, happenings, runs);
	await enterInLedger(trx, LIMEN, [...keys.acts, ...endings(recorded, happenings, runs)]);
	return recorded;
}

async function lockRuns(trx: Knex, ids: readonly string[]): Promise<Map<string, LockedRun>> {
	// In order of id: two groups that touch the same runs cannot wait for each other
	const { rows } = await trx.raw(
		`select run.id, run.unit_id, run.customer_id, unit.serial, step, outcome, since, restart_expected,
			failure_step, failure_kind, failure_words
		from run join unit on unit.id = run.unit_id
		where run.id = any(?::uuid[]) order by run.id for no key update of run`,
		[[...ids]]
	);
	return new Map(
		(rows as LockedRow[]).map((row) => [
			row.id,
			{ unitId: row.unit_id, customerId: row.customer_id, serial: row.serial, state: stateOf(row) }
		])
	);
}

interface LockedRow extends RunRow {
	id: string;
	unit_id: string;
	customer_id: string;
	serial: string;
}

interface RunRow {
	step: RunState['step'];
	outcome: RunState['outcome'];
	since: Date;
	restart_expected: boolean;
	failure_step: RunState['step'] | null;
	failure_kind: string | null;
	failure_words: string | null;
}

const stateOf = (row: RunRow): RunState => ({
	step: row.step,
	outcome: row.outcome,
	since: row.since.getTime(),
	restartExpected: row.restart_expected,
	failure:
		row.failure_step === null
			? null
			: {
					step: row.failure_step,
					kind: row.failure_kind as NonNullable<RunState['failure']>['kind'],
					words: row.failure_words ?? ''
				}
});

/** Commands and words can hold secrets. */
const sealedChecks = (checks: readonly ReadyCheck[]): string | null =>
	checks.length === 0 ? null : seal(JSON.stringify(checks));

/** Events, runs and notifications in one statement: one round trip however many there are. */
async function writeAll(
	trx: Knex,
	happenings: readonly Happening[],
	recorded: readonly Recorded[],
	runs: ReadonlyMap<string, LockedRun>
): Promise<void> {
	const events = happenings.map(({ runId, event, words }, index) => ({
		run: runId,
		customer: runs.get(runId)!.customerId,
		at: new Date(event.at).toISOString(),
		kind: event.kind,
		type: event.kind === 'report' ? event.type : null,
		words,
		before: recorded[index]!.before.step,
		after: recorded[index]!.after.step
	}));
	const served = new Map(happenings.flatMap((one) => (one.served ? [[one.runId, one.served] as const] : [])));
	const states = [...runs].map(([id, { state }]) => ({
		id,
		step: state.step,
		outcome: state.outcome,
		since: new Date(state.since).toISOString(),
		restart: state.restartExpected,
		failure_step: state.failure?.step ?? null,
		failure_kind: state.failure?.kind ?? null,
		failure_words: state.failure?.words ?? null,
		rendering: served.has(id) ? seal(served.get(id)!.rendering) : null,
		revision: served.get(id)?.revisionId ?? null,
		target: served.get(id)?.targetVersion ?? null,
		checks: sealedChecks(served.get(id)?.checks ?? []),
		served: served.has(id)
	}));
	const left = happenings.flatMap(({ runId, event }, index) => {
		const { before, after } = recorded[index]!;
		const step = leftStep(before, after, event.at);
		return step ? [{ run: runId, ...step }] : [];
	});
	await trx.raw(
		`with said as (
			insert into run_event (run_id, customer_id, at, kind, progress_type, words, step_before, step_after)
			select run, customer, at, kind, type, words, before, after
			from jsonb_to_recordset(?::jsonb) as e(run uuid, customer uuid, at timestamptz, kind text, type text, words text, before text, after text)
		), timed as (
			insert into step_time (group_id, run_id, customer_id, began_at, seconds, has_ended)
			select case when run.step = l.step and run.group_id is not null then run.group_id
					else step_group_of(l.step, run.unit_id, run.position_id, run.target_version) end,
				run.id, run.customer_id, to_timestamp(l.began / 1000), (l.ended - l.began) / 1000, l."hasEnded"
			from jsonb_to_recordset(?::jsonb) as l(run uuid, step text, began float8, ended float8, "hasEnded" boolean)
			join run on run.id = l.run
		), moved as (
			update run set group_id = case when s.step in ('bound', 'online') then null when s.step = run.step then run.group_id
					else step_group_of(s.step, run.unit_id, run.position_id, case when s.served then s.target else run.target_version end) end,
				called_at = coalesce(run.called_at, case when s.step <> 'bound' then s.since end), step = s.step, outcome = s.outcome, since = s.since, restart_expected = s.restart,
				failure_step = s.failure_step, failure_kind = s.failure_kind, failure_words = s.failure_words,
				rendering = case when s.served then s.rendering else run.rendering end,
				revision_id = case when s.served then s.revision else run.revision_id end,
				target_version = case when s.served then s.target else run.target_version end,
				checks = case when s.served then s.checks else run.checks end,
				heard_at = greatest(run.heard_at, now()),
				ended_at = case when s.outcome = 'open' then null else coalesce(run.ended_at, now()) end
			from jsonb_to_recordset(?::jsonb) as s(id uuid, step text, outcome text, since timestamptz, restart boolean,
				failure_step text, failure_kind text, failure_words text, rendering text, revision uuid, target text, checks text, served boolean)
			where run.id = s.id
		)
		select pg_notify(?, payload) from unnest(?::text[]) payload`,
		[JSON.stringify(events), JSON.stringify(left), JSON.stringify(states), CHANNEL, byCustomer(runs)]
	);
}

/** Each customer's watchers are told of that customer's runs. */
function byCustomer(runs: ReadonlyMap<string, LockedRun>): string[] {
	const ids = new Map<string, string[]>();
	for (const [id, { customerId }] of runs) ids.set(customerId, [...(ids.get(customerId) ?? []), id]);
	return [...ids].flatMap(([customerId, some]) => notifications('runs', some, customerId));
}

async function writeFacts(trx: Knex, happenings: readonly Happening[], runs: ReadonlyMap<string, LockedRun>) {
	const facts = happenings.flatMap(({ runId, facts }) =>
		facts
			? [
					{
						unit: runs.get(runId)!.unitId,
						version: facts.version ?? null,
						address: facts.address ?? null
					}
				]
			: []
	);
	if (facts.length === 0) return;
	await trx.raw(
		`update unit set reported_version = coalesce(f.version, reported_version), heard_at = now(),
			heard_address = coalesce(f.address, heard_address)
		from jsonb_to_recordset(?::jsonb) as f(unit uuid, version text, address inet) where unit.id = f.unit`,
		[JSON.stringify(facts)]
	);
}

function endings(
	recorded: readonly Recorded[],
	happenings: readonly Happening[],
	runs: ReadonlyMap<string, LockedRun>
): LedgerAct[] {
	return recorded.flatMap(({ before, after }, index) => {
		if (before.outcome === after.outcome || after.outcome === 'cancelled') return [];
		const { runId } = happenings[index]!;
		const run = runs.get(runId)!;
		const common = { customerId: run.customerId, subjectKind: 'unit', subjectId: run.unitId } as const;
		return after.outcome === 'through'
			? [{ ...common, act: 'come online', words: `Unit ${run.serial} is online.`, detail: { runId } }]
			: [
					{
						...common,
						act: 'run failed',
						words: `Unit ${run.serial} failed at ${after.failure!.step}: ${after.failure!.words.slice(0, 300)}`,
						detail: { runId, kind: after.failure!.kind }
					}
				];
	});
}
