import { adviceFor, type Failure, type RunState } from '../../../core/onboarding';
import { database } from '../database';
import { open } from '../keys';

/** One position's present run, with all that a watcher needs to see of it. */
export interface Arrival {
	readonly runId: string;
	readonly unitId: string;
	readonly serial: string;
	readonly modelName: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly step: RunState['step'];
	readonly outcome: RunState['outcome'];
	/** Milliseconds since the epoch. */
	readonly since: number;
	readonly begunAt: number;
	readonly heardAt: number | null;
	readonly failureStep: string | null;
	readonly failureKind: string | null;
	readonly failureWords: string | null;
	readonly lastType: string | null;
	readonly lastWords: string | null;
	/** Calls with this unit's serial and a wrong claim code since the run began. */
	readonly wrongCode: number;
}

const WRONG_CODE = `left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at`;

const SELECT = `
	select run.id as "runId", run.unit_id as "unitId", unit.serial, model.name as "modelName",
		run.position_id as "positionId", position.name as "positionName", site.id as "siteId", site.name as "siteName",
		run.customer_id as "customerId", customer.name as "customerName", run.step, run.outcome,
		(extract(epoch from run.since) * 1000)::float8 as since,
		(extract(epoch from run.begun_at) * 1000)::float8 as "begunAt",
		(extract(epoch from run.heard_at) * 1000)::float8 as "heardAt",
		run.failure_step as "failureStep", run.failure_kind as "failureKind", left(run.failure_words, 400) as "failureWords",
		said.progress_type as "lastType", left(said.words, 200) as "lastWords",
		coalesce(wrong.calls, 0)::int as "wrongCode"
	from binding
	join run on run.id = binding.run_id
	join unit on unit.id = run.unit_id
	join model on model.id = unit.model_id
	join position on position.id = run.position_id
	join site on site.id = position.site_id
	join customer on customer.id = run.customer_id
	left join lateral (
		select progress_type, words from run_event where run_event.run_id = run.id order by id desc limit 1
	) said on true
	${WRONG_CODE}`;

/** What needs a person first, then what moves, then what waits; among equals by place. */
const ORDER = `
	order by case when run.outcome = 'failed' or (run.step = 'bound' and wrong.calls is not null) then 0
			when run.outcome = 'through' then 3 when run.step = 'bound' then 2 else 1 end,
		site.name, position.name, run.id`;

export interface ArrivalFilter {
	readonly customerId: string | null;
	readonly siteId?: string | null;
	readonly offset?: number;
	readonly limit?: number;
}

/** Arrivals in the order in which they want attention. */
export async function arrivals({
	customerId,
	siteId = null,
	offset = 0,
	limit = 500
}: ArrivalFilter): Promise<Arrival[]> {
	// Chosen first, dressed after: what is shown of a run is looked up only for those asked for
	const { rows } = await database().raw(
		`with chosen as materialized (
			select run.id from binding join run on run.id = binding.run_id join unit on unit.id = run.unit_id
			join position on position.id = run.position_id join site on site.id = position.site_id ${WRONG_CODE}
			where (?::uuid is null or binding.customer_id = ?::uuid) and (?::uuid is null or site.id = ?::uuid)
			${ORDER} offset ? limit ?
		) ${SELECT} join chosen on chosen.id = run.id ${ORDER}`,
		[customerId, customerId, siteId, siteId, offset, limit]
	);
	return rows;
}

/** The arrivals of certain runs; runs that are no position's present run any more are left out. */
export async function arrivalsOf(runIds: readonly string[]): Promise<Arrival[]> {
	const { rows } = await database().raw(`${SELECT} where run.id = any(?::uuid[])`, [[...runIds]]);
	return rows;
}

/** The present arrival at a position. */
export async function arrivalAt(positionId: string): Promise<Arrival | undefined> {
	const { rows } = await database().raw(`${SELECT} where binding.position_id = ?`, [positionId]);
	return rows[0];
}

/** What a person can do about an arrival; null when there is nothing to do. */
export function adviceOn({
	step,
	failureStep,
	failureKind,
	failureWords,
	wrongCode
}: Arrival): string | null {
	const failure =
		failureWords === null
			? null
			: { step: failureStep as Failure['step'], kind: failureKind as Failure['kind'], words: failureWords };
	return adviceFor({ step, failure }, { wrongCode });
}

export type StepCounts = Readonly<Record<'stuck' | RunState['step'], number>>;

/** How many present runs are at each step, failed ones apart. */
export async function stepCounts(customerId: string | null): Promise<StepCounts> {
	const { rows } = await database().raw(
		`select case when outcome = 'failed' then 'stuck' else step end as at, count(*)::int as count
		from binding join run on run.id = binding.run_id
		where ?::uuid is null or binding.customer_id = ?::uuid group by 1`,
		[customerId, customerId]
	);
	const counts = {
		stuck: 0,
		bound: 0,
		calling: 0,
		identity: 0,
		firmware: 0,
		configuration: 0,
		proof: 0,
		online: 0
	};
	for (const { at, count } of rows as { at: keyof StepCounts; count: number }[]) counts[at] = count;
	return counts;
}

export interface RunEventRow {
	readonly id: string;
	readonly runNumber: number;
	readonly at: Date;
	readonly kind: string;
	readonly progressType: string | null;
	readonly words: string;
	readonly stepBefore: string;
	readonly stepAfter: string;
}

/** A unit's events over all its runs, newest first. */
export async function eventsOfUnit(unitId: string, limit = 300): Promise<RunEventRow[]> {
	const { rows } = await database().raw(
		`select run_event.id, run.number as "runNumber", run_event.at, kind, progress_type as "progressType", words,
			step_before as "stepBefore", step_after as "stepAfter"
		from run join run_event on run_event.run_id = run.id where run.unit_id = ? order by run_event.id desc limit ?`,
		[unitId, limit]
	);
	return rows;
}

/** What a unit was last given. */
export async function lastServed(
	unitId: string
): Promise<{ rendering: string; targetVersion: string | null; number: number } | undefined> {
	const served = await database()('run')
		.where({ unit_id: unitId })
		.whereNotNull('rendering')
		.orderBy('begun_at', 'desc')
		.first('rendering', 'target_version as targetVersion', 'number');
	return served && { ...served, rendering: open(served.rendering) };
}
