import {
	adviceFor,
	failureOf,
	RUN_STEPS,
	STANDINGS,
	standingOf,
	type Arrival,
	type RunState,
	type Standing,
	type StandingCounts
} from '../../../core/onboarding';
import { database, timeNow } from '../database';
import { unseal } from '../keys';

export type { Arrival };

const SELECT = `
	select run.id as "runId", run.unit_id as "unitId", unit.serial, model.name as "modelName",
		run.position_id as "positionId", position.name as "positionName", site.id as "siteId", site.name as "siteName",
		run.customer_id as "customerId", customer.name as "customerName", run.step, run.outcome,
		(extract(epoch from run.since) * 1000)::float8 as since,
		(extract(epoch from run.begun_at) * 1000)::float8 as "begunAt",
		(extract(epoch from run.heard_at) * 1000)::float8 as "heardAt",
		run.signature_id as "signatureId", run.failure_step as "failureStep", run.failure_kind as "failureKind", left(run.failure_words, 400) as "failureWords",
		(extract(epoch from stands.late_at) * 1000)::float8 as "lateAt",
		(extract(epoch from stands.stalled_at) * 1000)::float8 as "stalledAt", stands.lacks,
		(extract(epoch from run.called_at) * 1000)::float8 as "calledAt",
		said.progress_type as "lastType", left(said.words, 200) as "lastWords", stands.wrong_code as "wrongCode",
		(extract(epoch from stands.quiet_since) * 1000)::float8 as "quietSince",
		(extract(epoch from stands.quiet_normal) * 1000)::float8 as "quietNormal"
	from position_standing stands
	join run on run.id = stands.run_id
	join unit on unit.id = run.unit_id
	join model on model.id = unit.model_id
	join position on position.id = run.position_id
	join site on site.id = position.site_id
	join customer on customer.id = run.customer_id
	left join lateral (
		select progress_type, words from run_event where run_event.run_id = run.id order by id desc limit 1
	) said on true`;

/** Says it to the view itself: joined to it alone, how everything else stands would be worked out first. */
const CHOSEN = 'stands.run_id = any (array(select run_id from chosen))';

/** What needs a person first, then what moves, then what waits; among equals by place. */
const ATTENTION = `array_position(array['stuck', 'stalled', 'not-heard', 'late', 'moving', 'waiting', 'online'], standing)`;

/**
 * On the board is what is on its way, and for a day what has come through. What came through before that is
 * online (or not heard), and no arrival any more.
 */
const PRESENT = `(stands.outcome = 'open' or stands.outcome = 'failed' or (stands.outcome = 'through' and stands.ended_at > now() - interval '24 hours'))`;
/** Says beforehand who may be not heard at all, so that how each of the others stands is not worked out. */
const MAY_BE_AWAY = `stands.outcome = 'through' and stands.unit_id = any (array(select unit_id from unit_connection where ended_at is not null
	union all select unit_id from binding where not exists (select from unit_connection c where c.unit_id = binding.unit_id)))`;

export interface ArrivalFilter {
	readonly customerId: string | null;
	/** Only what stands so. */
	readonly standing?: Exclude<Standing, 'through' | 'cancelled'> | null;
	/** Only what needs a person. */
	readonly needsPerson?: boolean;
	readonly limit?: number;
}

/** Arrivals in the order in which they want attention. */
export async function arrivals({
	customerId,
	standing = null,
	needsPerson = false,
	limit = 500
}: ArrivalFilter): Promise<Arrival[]> {
	// Chosen first, dressed after: what is shown of a run is looked up only for those asked for
	const { rows } = await database().raw(
		`with chosen as materialized (
			select stands.run_id, row_number() over (order by ${ATTENTION}, site.name, position.name, stands.run_id) as place
			from position_standing stands join position on position.id = stands.position_id join site on site.id = stands.site_id
			where ${PRESENT} and (:customer::uuid is null or stands.customer_id = :customer::uuid)
				and (:standing::text is null or standing = :standing) and (not :needsPerson or standing in ('stuck', 'stalled'))
			order by place limit :limit
		) ${SELECT} join chosen on chosen.run_id = run.id where ${CHOSEN} order by place`,
		{ customer: customerId, standing, needsPerson, limit }
	);
	return rows;
}

/** All that is on the board, in the order of their runs: whoever asks for one page after the other misses none. */
export async function arrivalsAfter(
	customerId: string | null,
	after: string | null,
	limit: number
): Promise<Arrival[]> {
	const { rows } = await database().raw(
		`with chosen as materialized (
			select stands.run_id from position_standing stands
			where ${PRESENT} and (:customer::uuid is null or stands.customer_id = :customer::uuid)
				and (:after::uuid is null or stands.run_id > :after::uuid)
			order by stands.run_id limit :limit
		) ${SELECT} where ${CHOSEN} order by run.id`,
		{ customer: customerId, after, limit }
	);
	return rows;
}

/** The present arrivals at a site, however long ago they came through. */
export async function arrivalsAt(siteId: string): Promise<Arrival[]> {
	const { rows } = await database().raw(`${SELECT} where stands.site_id = ?`, [siteId]);
	return rows;
}

/** Units that were online and are not heard any more, those lost last first. */
export async function notHeard(customerId: string | null, limit: number): Promise<Arrival[]> {
	const { rows } = await database().raw(
		`with chosen as materialized (
			select run_id, quiet_since from position_standing stands
			where ${MAY_BE_AWAY} and standing = 'not-heard' and (:customer::uuid is null or customer_id = :customer::uuid)
			order by quiet_since desc limit :limit
		) ${SELECT} join chosen on chosen.run_id = run.id where ${CHOSEN} order by chosen.quiet_since desc`,
		{ customer: customerId, limit }
	);
	return rows;
}

export async function countNotHeard(customerId: string | null): Promise<number> {
	const { rows } = await database().raw(
		`select count(*)::int as count from position_standing stands
		where ${MAY_BE_AWAY} and standing = 'not-heard' and (:customer::uuid is null or customer_id = :customer::uuid)`,
		{ customer: customerId }
	);
	return rows[0].count;
}

/** What came through last, or since a moment. */
export async function cameThrough(
	customerId: string | null,
	limit: number,
	since: Date | null = null
): Promise<Arrival[]> {
	const { rows } = await database().raw(
		`with chosen as materialized (
			select run.id as run_id from run where outcome = 'through' and (:customer::uuid is null or customer_id = :customer::uuid)
				and (:since::timestamptz is null or ended_at > :since)
				and exists (select from binding where binding.run_id = run.id)
			order by ended_at desc limit :limit
		) ${SELECT} join chosen on chosen.run_id = run.id where ${CHOSEN} order by run.ended_at desc`,
		{ customer: customerId, limit, since }
	);
	return rows;
}

/** The arrivals of certain runs; runs that are not on the board, or not any more, are left out. */
export async function arrivalsOf(runIds: readonly string[]): Promise<Arrival[]> {
	const { rows } = await database().raw(`${SELECT} where stands.run_id = any(?::uuid[]) and ${PRESENT}`, [
		[...runIds]
	]);
	return rows;
}

/** The present arrival at a position. */
export async function arrivalAt(positionId: string): Promise<Arrival | undefined> {
	const { rows } = await database().raw(`${SELECT} where stands.position_id = ?`, [positionId]);
	return rows[0];
}

/** What a person can do about an arrival; null when there is nothing to do. */
export const adviceOn = (arrival: Arrival): string | null =>
	adviceFor(
		{ step: arrival.step, failure: failureOf(arrival) },
		arrival,
		standingOf(arrival, timeNow(), arrival.wrongCode, arrival) === 'stalled' ? arrival : null
	);

/** How many arrivals on the board stand how, and are at each step. */
export async function standingCounts(customerId: string | null): Promise<StandingCounts> {
	const { rows } = await database().raw(
		`select standing, step, count(*)::int as count from position_standing stands
		where ${PRESENT} and (?::uuid is null or customer_id = ?::uuid) group by 1, 2`,
		[customerId, customerId]
	);
	const none = <Name extends string>(names: readonly Name[]) =>
		Object.fromEntries(names.map((name) => [name, 0])) as Record<Name, number>;
	const [standings, steps] = [none(STANDINGS), none(RUN_STEPS)];
	for (const { standing, step, count } of rows as {
		standing: Exclude<Standing, 'through'> | 'online';
		step: RunState['step'];
		count: number;
	}[]) {
		standings[standing === 'online' ? 'through' : standing] += count;
		steps[step] += count;
	}
	return { standings, steps };
}

/** How many units need a person: they failed, or will hardly go on by themselves. */
export async function needingSomebody(customerId: string | null): Promise<number> {
	const { rows } = await database().raw(
		`select count(*)::int as count from position_standing
		where outcome in ('open', 'failed') and standing in ('stuck', 'stalled') and (:customer::uuid is null or customer_id = :customer::uuid)`,
		{ customer: customerId }
	);
	return rows[0].count;
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
): Promise<
	{ positionId: string; rendering: string; targetVersion: string | null; number: number } | undefined
> {
	const served = await database()('served')
		.where({ unit_id: unitId })
		.orderBy('turn', 'desc')
		.first('position_id as positionId', 'rendering', 'target_version as targetVersion', 'number');
	return served && { ...served, rendering: unseal(served.rendering) };
}
