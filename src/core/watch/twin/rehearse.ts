import { holdsAddress, printAddress, printPrefix } from '../../address';
import type { RunStep, TimedStep } from '../../onboarding';
import type { CablingProblem } from '../../plan';
import { checksFor, type Expectation, type PlannedCheck, type ProofPlan } from '../../proof';
import { summaryOf, untilThrough, type Known } from '../completion';
import { span } from '../words';
import type { Station } from './network';
import { failing } from './proving';
import { gives, problemAt, runOf, type Twin, type TwinProblem, type TwinRun } from './twin';

/** All that a site's rehearsal is computed from. */
export interface SiteToRehearse {
	readonly id: string;
	readonly name: string;
	readonly twins: readonly Twin[];
	/** What stands at the other ends of its tunnels, and further on. */
	readonly far: readonly Station[];
	readonly plan: ProofPlan;
	/** What is wrong with its planned cables. */
	readonly cabling: readonly CablingProblem[];
	/** Networks of its own that another site behind the same hub has as well. */
	readonly doubled: readonly Doubled[];
}

/** A network that two sites have. */
export interface Doubled {
	readonly prefix: string;
	readonly siteId: string;
	readonly siteName: string;
}

/** A step of a rehearsed run. `seconds`: the middle of how long it takes; null where it is not come to. */
export interface RehearsedStep {
	readonly step: TimedStep;
	readonly seconds: number;
	readonly words: string;
	readonly isStopped: boolean;
}
export interface RehearsedUnit {
	readonly positionId: string;
	readonly name: string;
	readonly serial: string | null;
	readonly isOnline: boolean;
	/** It waits for its gateway. */
	readonly isBehind: boolean;
	readonly steps: readonly RehearsedStep[];
}
/** What would come of a site. */
export interface Rehearsal {
	/** Gateways first. */
	readonly units: readonly RehearsedUnit[];
	readonly problems: readonly TwinProblem[];
	/** How long after power all would be online, in seconds; null where not all would. */
	readonly seconds: { readonly soonest: number; readonly median: number; readonly latest: number } | null;
	/** What would not stop it today, and is not as it should be. */
	readonly remarks: readonly { readonly words: string; readonly mend: TwinProblem['mend'] }[];
	/** What was taken to be so, in sentences. */
	readonly assumed: readonly string[];
	/** Checks of the proof that a twin cannot answer. */
	readonly unmodelled: readonly string[];
}

/** What a twin is never asked. */
export const NOT_MODELLED: readonly string[] = [
	'The provider’s line: that it works, how fast it is and what it loses.',
	'The hands on site: that cables go where they are planned, and that each unit is the one it should be.',
	'The unit itself: damage, a wrong claim code, a clock that stands still.'
];

const FRONT: ReadonlySet<string> = new Set(['router', 'gateway']);
const STEPS: readonly TimedStep[] = ['calling', 'identity', 'firmware', 'configuration', 'proof'];

/**
 * A site's whole run, before anything ships: each unit's from its first call to its proof, and the site's proof over the
 * network that the configurations make. Pure; takes time in proportion to what the site and its far ends run. Laws: the
 * same input gives the same answer; a site without problems has a time, one with problems has none; a unit that is stopped
 * is asked no checks.
 */
export function rehearse(site: SiteToRehearse): Rehearsal {
	const byId = new Map(site.twins.map((twin) => [twin.positionId, twin]));
	const runs = new Map<string, TwinRun>();
	const stopped = (id: string) => (runs.get(id)?.problems.length ?? 0) > 0;
	// What is fed comes after what feeds it
	const isFed = ({ roleId }: Twin) => roleId === 'access-point';
	for (const twin of [...site.twins].sort((a, b) => Number(isFed(a)) - Number(isFed(b))))
		runs.set(twin.positionId, runOf(twin, cableFault(twin, site, byId, stopped)));
	const stations = [
		...site.twins.map((twin): Station => ({
			id: twin.positionId,
			name: twin.name,
			siteName: site.name,
			wiring: twin.wiring,
			isUp: !stopped(twin.positionId) && lostWay(twin) === null
		})),
		...site.far
	];
	const proof = site.twins.flatMap((twin): TwinProblem[] => {
		if (stopped(twin.positionId)) return [];
		const lost = lostWay(twin);
		return lost ? [lost] : [];
	});
	const unmodelled = new Set<string>();
	const isWhole = proof.length === 0 && site.twins.every(({ positionId }) => !stopped(positionId));
	// A site is proved once all its units have come through
	if (isWhole)
		for (const [positionId, checks] of byPosition(checksFor(site.plan))) {
			const twin = byId.get(positionId);
			const station = stations.find(({ id }) => id === positionId);
			if (twin && station) proof.push(...failing(twin, station, checks, stations, unmodelled));
		}
	const problems = [...[...runs.values()].flatMap((run) => run.problems), ...proof];
	const inOrder = [...site.twins].sort((a, b) => Number(FRONT.has(b.roleId)) - Number(FRONT.has(a.roleId)));
	const units = inOrder.map((twin) => unitOf(twin, runs.get(twin.positionId)!, problems));
	return {
		units,
		problems,
		seconds: problems.length === 0 ? untilAll(site, runs) : null,
		remarks: problems.length === 0 ? site.doubled.map(remarkOf) : [],
		assumed: assumptions(site, runs),
		unmodelled: [...unmodelled]
	};
}

const remarkOf = ({ prefix, siteId, siteName }: Doubled) => ({
	words: `${prefix} is given to ${siteName} as well: once both are online, what is sent back goes to one of them.`,
	mend: { href: `/sites/${siteId}`, words: `Look at ${siteName}` }
});

function byPosition(checks: readonly PlannedCheck[]): ReadonlyMap<string, readonly Expectation[]> {
	const found = new Map<string, Expectation[]>();
	for (const { positionId, expects } of checks) {
		const there = found.get(positionId);
		if (there) there.push(expects);
		else found.set(positionId, [expects]);
	}
	return found;
}

/** Why a unit cannot be plugged in as planned, or gets no power there; null where it can. */
function cableFault(
	twin: Twin,
	{ plan, cabling }: SiteToRehearse,
	byId: ReadonlyMap<string, Twin>,
	stopped: (id: string) => boolean
): string | null {
	const wrong = cabling.find(({ positionId }) => positionId === twin.positionId);
	if (wrong) return wrong.message;
	if (twin.roleId !== 'access-point') return null;
	const cable = plan.cables.find(({ near }) => near.positionId === twin.positionId && near.port === 'uplink');
	const feeder = cable?.far && byId.get(cable.far.positionId);
	if (!feeder) return null;
	if (!gives(feeder, cable.far!.port))
		return `It would get no power: port ${feeder.model?.ports[cable.far!.port] ?? cable.far!.port} of ${feeder.name} gives none.`;
	// What gives power only when it is told to has to come that far
	return feeder.wiring.feeding && stopped(feeder.positionId)
		? `It would get no power: ${feeder.name}, which feeds it, stops before it gives any.`
		: null;
}

/** What a fixed address without a way out leads to: it takes its configuration, and is not heard again. */
function lostWay(twin: Twin): TwinProblem | null {
	const { outside, gateway } = twin.wiring;
	if (twin.isOnline || !outside) return null;
	return gateway && holdsAddress(outside, gateway.address)
		? null
		: problemAt(twin, {
				step: 'proof',
				words: gateway
					? `It would not be heard again: the way out of its uplink, ${printAddress(gateway.address)}, does not lie in ${printPrefix(outside)}.`
					: `It would not be heard again: its uplink has the fixed address ${printAddress(outside.address)}, and no way out.`,
				line: gateway?.line ?? outside.line
			});
}

function unitOf(twin: Twin, run: TwinRun, problems: readonly TwinProblem[]): RehearsedUnit {
	const own = problems.find(({ positionId }) => positionId === twin.positionId);
	const path = run.versions.slice(1);
	const steps: RehearsedStep[] = [];
	for (const step of twin.isOnline ? [] : STEPS) {
		const isStopped = own?.step === step;
		if (step === 'firmware' && path.length === 0 && !isStopped) continue;
		const seconds = medianOf(twin.known[step]);
		const words = step === 'firmware' && path.length > 0 ? run.versions.join(' → ') : '';
		steps.push({ step, seconds, words: isStopped ? own.words : words, isStopped });
		if (isStopped) break;
	}
	return {
		positionId: twin.positionId,
		name: twin.name,
		serial: twin.unit?.serial ?? null,
		isOnline: twin.isOnline,
		isBehind: !FRONT.has(twin.roleId),
		steps
	};
}

/** Steps of many units have the same distribution. */
const medians = new WeakMap<Known, number>();
function medianOf(known: Known): number {
	const kept =
		medians.get(known) ??
		summaryOf(untilThrough([{ steps: [{ known, lasted: 0 }], isBehind: false }])!).median;
	medians.set(known, kept);
	return kept;
}

/** Access points and switches begin when their gateway is through. */
function untilAll(site: SiteToRehearse, runs: ReadonlyMap<string, TwinRun>): Rehearsal['seconds'] {
	const draws = untilThrough(
		site.twins
			.filter(({ isOnline }) => !isOnline)
			.map((twin) => {
				const path = runs.get(twin.positionId)!.versions.slice(1);
				return {
					isBehind: !FRONT.has(twin.roleId),
					steps: STEPS.filter((step) => step !== 'firmware' || path.length > 0).map((step) => ({
						known: twin.known[step],
						lasted: 0
					}))
				};
			})
	);
	return draws ? summaryOf(draws) : { soonest: 0, median: 0, latest: 0 };
}

const isUnlisted = ({ model }: Twin, version: string): boolean =>
	version !== '' && !!model?.versions.length && !model.versions.some((one) => one.version === version);

function assumptions({ twins }: SiteToRehearse, runs: ReadonlyMap<string, TwinRun>): readonly string[] {
	return twins.flatMap((twin) => {
		const { isAssumed, versions } = runs.get(twin.positionId)!;
		const model = twin.model?.name;
		return [
			...(twin.unit === null && model !== undefined
				? [`${twin.name}: no unit is bound; taken to be a ${model}.`]
				: []),
			...(isAssumed && versions[0] && !twin.isOnline
				? [`${twin.name}: nobody said which firmware it comes with; taken to be ${versions[0]}.`]
				: []),
			...(!twin.isOnline && isUnlisted(twin, versions.at(-1) ?? '')
				? [`${twin.name}: its pack does not list firmware ${versions.at(-1)}; read as its newest.`]
				: [])
		];
	});
}

/** How a rehearsal ends, in one sentence. */
export function rehearsalWords({
	problems,
	seconds,
	units
}: Pick<Rehearsal, 'problems' | 'seconds' | 'units'>): string {
	const [first] = problems;
	if (first) return `${first.position} would stop at ${STEP_NAMES[first.step] ?? first.step}: ${first.words}`;
	if (units.length === 0) return 'Nothing is planned here.';
	if (units.every(({ isOnline }) => isOnline)) return 'All its units are online.';
	return `Would come online, about ${span((seconds?.median ?? 0) * 1000)} after power.`;
}
const STEP_NAMES: Readonly<Partial<Record<RunStep, string>>> = {
	calling: 'its first call',
	identity: 'its identity',
	firmware: 'its firmware',
	configuration: 'its configuration',
	proof: 'its proof'
};
