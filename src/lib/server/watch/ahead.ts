import type { Day } from '../../../core/day';
import { isTimed, type Arrival, type RunStep } from '../../../core/onboarding';
import {
	later,
	summaryOf,
	untilThrough,
	type Ends,
	type Rest,
	type StepAhead,
	type UnitAhead
} from '../../../core/watch';
import { database, timeNow } from '../database';
import { Knowledge, TIMED_STEPS, type Alike } from './knowledge';

/** An arrival, and when it is expected to be through; null while nobody can say. */
export type Expected<Row> = Row & { readonly ends: Ends | null };

/** A unit on its way, or one that waits at a site whose gateway is on its way. */
interface Row extends Alike {
	readonly runId: string;
	readonly siteId: string;
	readonly step: RunStep;
	readonly lasted: number;
	readonly isFront: boolean;
}

const FRONT = `('router', 'gateway')`;

/** All that is open at certain sites, or at all. */
async function openRuns(siteIds: readonly string[] | null): Promise<Row[]> {
	const { rows } = await database().raw(
		`select run.id as "runId", site.id as "siteId", run.step, greatest(0, extract(epoch from now() - run.since))::float8 as lasted,
			unit.model_id as "modelId", position.role_id in ${FRONT} as "isFront", site.uplink, coalesce(unit.reported_version, '') as version,
			coalesce(run.target_version, released.target, '') as target
		from run join binding on binding.run_id = run.id join unit on unit.id = run.unit_id join model on model.id = unit.model_id
		join position on position.id = run.position_id join site on site.id = position.site_id
		left join lateral (
			select targets ->> model.firmware_line as target from profile_revision
			where profile_id = position.profile_id and state = 'released' and run.step in ('bound', 'calling') order by number desc limit 1
		) released on true
		where run.outcome = 'open' and (:sites::uuid[] is null or site.id = any (:sites::uuid[]))
			and (:sites::uuid[] is not null or run.step <> 'bound')`,
		{ sites: siteIds && [...siteIds] }
	);
	return rows;
}

/** The step a unit is at and those that follow; firmware only where it is to be changed. */
function stepsOf(row: Row, knowledge: Knowledge): StepAhead[] {
	const from = isTimed(row.step) ? TIMED_STEPS.indexOf(row.step) : 0;
	return TIMED_STEPS.slice(from).flatMap((step, index) => {
		const isNow = index === 0 && step === row.step;
		const changes = row.target !== '' && row.target !== row.version;
		return step === 'firmware' && !isNow && !changes
			? []
			: [{ known: knowledge.of(step, row), lasted: isNow ? row.lasted : 0 }];
	});
}

export interface Outlook {
	readonly runs: ReadonlyMap<string, Ends>;
	readonly sites: ReadonlyMap<string, Ends>;
	/** When all of these are through. */
	readonly all: Ends | null;
}

/**
 * When the units at some sites (null: all that are under way) are expected to be through, each and together. A unit that
 * was not heard yet has an end only where the gateway that it waits for is on its way: nobody knows when somebody plugs it in.
 */
export async function outlook(siteIds: readonly string[] | null, now = timeNow()): Promise<Outlook> {
	if (siteIds?.length === 0) return { runs: new Map(), sites: new Map(), all: null };
	const [rows, knowledge] = await Promise.all([openRuns(siteIds), Knowledge.read()]);
	const bySite = new Map<string, Row[]>();
	for (const row of rows) {
		const there = bySite.get(row.siteId);
		if (there) there.push(row);
		else bySite.set(row.siteId, [row]);
	}
	const [runs, sites] = [new Map<string, Ends>(), new Map<string, Ends>()];
	let all: Float64Array | null = null;
	for (const [siteId, there] of bySite) {
		const front = there.filter(({ isFront, step }) => isFront && step !== 'bound');
		const units = there.flatMap((row): { row: Row; unit: UnitAhead }[] => {
			const waits = row.step === 'bound';
			return waits && (row.isFront || front.length === 0)
				? []
				: [{ row, unit: { steps: stepsOf(row, knowledge), isBehind: waits } }];
		});
		const gateways = units.filter(({ row }) => front.includes(row)).map(({ unit }) => unit);
		let alone: Float64Array | null = null;
		for (const { row, unit } of units) {
			const draws = untilThrough(unit.isBehind ? [...gateways, unit] : [unit]);
			if (draws) runs.set(row.runId, endsOf(draws, now));
			alone = draws;
		}
		// Of one unit it is that unit's
		const draws = units.length === 1 && alone ? alone : untilThrough(units.map(({ unit }) => unit));
		if (!draws) continue;
		const only = units.length === 1 ? runs.get(units[0]!.row.runId) : undefined;
		sites.set(siteId, only ?? endsOf(draws, now));
		all = all ? later(all, draws) : draws.slice();
	}
	return { runs, sites, all: all && endsOf(all, now) };
}

function endsOf(draws: Float64Array, now: number): Ends {
	const rest: Rest = summaryOf(draws);
	const at = (seconds: number) => Math.round(now + seconds * 1000);
	return { soonest: at(rest.soonest), median: at(rest.median), latest: at(rest.latest) };
}

/** A technician's day, with when each of its sites is expected to be through. */
export async function dayWithEnds(day: Day): Promise<Day> {
	const { sites } = await outlook(day.sites.map(({ id }) => id));
	return {
		...day,
		sites: day.sites.map((site) => {
			const ends = sites.get(site.id);
			return ends ? { ...site, ends } : site;
		})
	};
}

/** Arrivals, with when each is expected to be through. */
export async function withEnds<One extends Arrival>(rows: readonly One[]): Promise<Expected<One>[]> {
	const open = rows.filter(({ outcome }) => outcome === 'open');
	const { runs } = await outlook([...new Set(open.map(({ siteId }) => siteId))]);
	return rows.map((row) => ({ ...row, ends: runs.get(row.runId) ?? null }));
}
