import {
	fitLogNormal,
	kaplanMeier,
	logNormalQuantile,
	normalBelow,
	normalQuantile,
	quantile,
	type Curve,
	type Lasted,
	type LogNormal
} from './survival';

/**
 * How long a step takes for units like this one. Learnt from all runs of its group, and, as long as these are few, from
 * wider groups: the model's runs, its maker's, its role's, and at last what its pack says is usual.
 */
export interface Expectation {
	readonly curve: Curve;
	/** Goes on where the curve ends. */
	readonly tail: LogNormal;
	/** Half are done within this; nine of ten; all but three of a thousand. In seconds. */
	readonly median: number;
	readonly late: number;
	readonly stalled: number;
	/** How many real runs that ended stand behind it: of its own group, and borrowed. */
	readonly own: number;
	readonly borrowed: number;
}

/** So many runs of its own are enough; fewer are filled up to this with borrowed ones. */
export const ENOUGH = 30;
/** What a pack says is usual counts for so many runs. */
const USUAL_RUNS = 5;
/** How far apart runs are of which nothing is known but what is usual: one in ten takes twice as long. */
const USUAL_DEVIATION = Math.log(2) / 1.2815515655;
const LATE = 0.9;
const STALLED = 0.997;

/**
 * What is normal for a step. `groups`: the runs of its own group first, then those of each wider one, none of them twice;
 * `usual`: what its pack says, in seconds. Runs that are open and past what is normal are hung: they would bend the upper
 * end, and are left out. Laws: enough runs of its own borrow nothing; the order of runs does not matter; never late
 * before half are done, never stalled before late.
 */
export function expectation(groups: readonly (readonly Lasted[])[], usual: number): Expectation {
	const first = learnt(groups, usual);
	// Once with all, to know what is past it; then without what hung
	const alive = groups.map((runs) =>
		runs.filter(({ hasEnded, seconds }) => hasEnded || seconds <= first.stalled)
	);
	return learnt(alive, usual);
}

function learnt(groups: readonly (readonly Lasted[])[], usual: number): Expectation {
	const runs: Lasted[] = [];
	let [missing, own, borrowed] = [ENOUGH, 0, 0];
	groups.forEach((group, index) => {
		if (missing <= 0) return;
		const ended = group.filter(({ hasEnded }) => hasEnded).length;
		const weight = index === 0 ? 1 : Math.min(1, missing / Math.max(1, ended));
		for (const one of group) runs.push({ ...one, weight });
		missing -= ended * weight;
		if (index === 0) own = ended;
		else borrowed += ended;
	});
	if (missing > 0) runs.push(...usualRuns(usual, Math.min(USUAL_RUNS, missing)));
	const curve = kaplanMeier(runs);
	const tail = fitLogNormal(runs) ?? usualTail(usual);
	const at = (p: number) => quantile(curve, p) ?? logNormalQuantile(tail, p);
	const median = at(0.5);
	const late = Math.max(median, at(LATE));
	return { curve, tail, median, late, stalled: Math.max(late, beyond(curve, tail)), own, borrowed };
}

/** Few runs have no 997th of a thousand among them: what they show as their last is then too early. */
function beyond(curve: Curve, tail: LogNormal): number {
	const seen = quantile(curve, STALLED);
	const fitted = logNormalQuantile(tail, STALLED);
	return seen !== null && curve.ended >= 1 / (1 - STALLED) ? seen : Math.max(seen ?? 0, fitted);
}

/** A curve of so many steps is enough to draw and to reckon with. */
const MOST_STEPS = 120;
/** The same with fewer steps, evenly spread over what it falls; its first and last stay. */
export function thinned(curve: Curve): Curve {
	const { length } = curve.times;
	if (length <= MOST_STEPS) return curve;
	const kept = Array.from({ length: MOST_STEPS }, (_, index) =>
		Math.round((index * (length - 1)) / (MOST_STEPS - 1))
	);
	const of = (values: readonly number[]) => kept.map((index) => values[index]!);
	return { ...curve, times: of(curve.times), survival: of(curve.survival), variance: of(curve.variance) };
}

const usualTail = (usual: number): LogNormal => ({
	mean: Math.log(Math.max(1, usual)),
	deviation: USUAL_DEVIATION
});
/** Runs as they would be if the pack is right, in all so many. */
function usualRuns(usual: number, weight: number): readonly Lasted[] {
	const PIECES = 20;
	return Array.from({ length: PIECES }, (_, index) => ({
		seconds: logNormalQuantile(usualTail(usual), (index + 0.5) / PIECES),
		hasEnded: true,
		weight: weight / PIECES
	}));
}

/** How much longer, in seconds: half are done within `median`, eight of ten between `soonest` and `latest`. */
export interface Rest {
	readonly soonest: number;
	readonly median: number;
	readonly latest: number;
}

/** When the share `p` of what lasted longer than anything known is done, by the log-normal. */
export function afterwards(tail: LogNormal, lasted: number, p: number): number {
	const before = lasted <= 0 ? 0 : normalBelow((Math.log(lasted) - tail.mean) / tail.deviation);
	const wanted = before + (1 - before) * p;
	// Past all that the distribution can tell apart, it goes on for as long again
	return wanted >= 1 - 1e-9
		? lasted * (1 + p)
		: Math.exp(tail.mean + tail.deviation * normalQuantile(Math.max(1e-9, wanted)));
}

/** Nobody is called to a unit for less: so many seconds past the median at least. */
const LEAST_LATE = 10;
const LEAST_STALLED = 60;
/** From when on somebody is told, in seconds: the quantiles, but where all take about the same, not for a moment more. */
export const limitsOf = ({ median, late, stalled }: Pick<Expectation, 'median' | 'late' | 'stalled'>) => ({
	late: Math.max(late, median + LEAST_LATE),
	stalled: Math.max(stalled, median + LEAST_STALLED)
});
