/**
 * How long something takes, learnt from what has ended and from what has not: the product-limit estimate of Kaplan and
 * Meier (J. Amer. Statist. Assoc. 53, 1958) with Greenwood's variance. Times are seconds.
 */
export interface Lasted {
	readonly seconds: number;
	/** False: it had lasted so long and had not ended when it was looked at, or ended for another reason (censored). */
	readonly hasEnded: boolean;
	/** How many it stands for; 1 unless said otherwise. A run that is borrowed from a wider group counts for less. */
	readonly weight?: number;
}

/** A falling step function from 1: after `times[i]`, the share `survival[i]` is still going on. */
export interface Steps {
	/** The distinct times at which something ended, ascending. */
	readonly times: readonly number[];
	readonly survival: readonly number[];
}
export interface Curve extends Steps {
	/** Greenwood's estimate of the variance of each. */
	readonly variance: readonly number[];
	/** Weights of what was looked at: all, and those that ended. */
	readonly count: number;
	readonly ended: number;
}

/**
 * The curve of some runs. Rejects nothing: times below 0 or that are no numbers, and weights that are not above 0, are
 * left out. Laws: S falls from 1; the order of the runs does not matter; without censored ones it is the empirical
 * distribution; at equal times what ended counts before what is censored. Takes n log n.
 */
export function kaplanMeier(runs: readonly Lasted[]): Curve {
	const known = runs
		.filter(({ seconds, weight = 1 }) => seconds >= 0 && Number.isFinite(seconds) && weight > 0)
		.sort((a, b) => a.seconds - b.seconds);
	const count = known.reduce((sum, { weight = 1 }) => sum + weight, 0);
	const [times, survival, variance]: [number[], number[], number[]] = [[], [], []];
	let [atRisk, share, greenwood, ended] = [count, 1, 0, 0];
	for (let index = 0; index < known.length;) {
		const { seconds } = known[index]!;
		let [gone, censored] = [0, 0];
		for (; index < known.length && known[index]!.seconds === seconds; index++) {
			const { hasEnded, weight = 1 } = known[index]!;
			if (hasEnded) gone += weight;
			else censored += weight;
		}
		if (gone > 0) {
			// Weights add up to what they are only nearly: the last share is exactly nothing
			const left = index === known.length && censored === 0 ? 0 : Math.max(0, atRisk - gone);
			share *= left / atRisk;
			greenwood += left > 0 ? gone / (atRisk * left) : 0;
			times.push(seconds);
			survival.push(share);
			variance.push(share * share * greenwood);
			ended += gone;
		}
		atRisk -= gone + censored;
	}
	return { times, survival, variance, count, ended };
}

/** Which share lasts longer than `seconds`. */
export function survivalAt({ times, survival }: Steps, seconds: number): number {
	const index = lastUpTo(times, seconds);
	return index < 0 ? 1 : survival[index]!;
}

/** The index of the last time that is not later; −1 before the first. */
function lastUpTo(times: readonly number[], seconds: number): number {
	let [low, high] = [0, times.length];
	while (low < high) {
		const middle = (low + high) >> 1;
		if (times[middle]! <= seconds) low = middle + 1;
		else high = middle;
	}
	return low - 1;
}

/** Rounding of shares must not make a quantile one step later. */
const NEARLY = 1e-12;

/** The smallest time at which at most `1 − p` goes on; null where the curve ends before. */
export function quantile({ times, survival }: Curve, p: number): number | null {
	const index = survival.findIndex((share) => share <= 1 - p + NEARLY);
	return index < 0 ? null : times[index]!;
}

/** What is said of a tail that nobody has seen: times whose logarithms are normal. */
export interface LogNormal {
	readonly mean: number;
	readonly deviation: number;
}
/** Fewer say nothing of how they scatter. */
const FEWEST_FOR_FIT = 3;
/** Steps that all take the same to the second still differ a little. */
const LEAST_DEVIATION = 0.05;

/** Nothing is measured finer, in seconds: of what took no time at all there is no logarithm. */
const FINEST = 0.001;

/** Fitted to what ended, by the moments of its logarithms; null where too little did. */
export function fitLogNormal(runs: readonly Lasted[]): LogNormal | null {
	const ended = runs
		.filter(({ hasEnded, seconds, weight = 1 }) => hasEnded && seconds >= 0 && weight > 0)
		.map((one) => ({ ...one, log: Math.log(Math.max(FINEST, one.seconds)) }));
	if (ended.length < FEWEST_FOR_FIT) return null;
	const total = ended.reduce((sum, { weight = 1 }) => sum + weight, 0);
	const mean = ended.reduce((sum, { weight = 1, log }) => sum + weight * log, 0) / total;
	const spread = ended.reduce((sum, { weight = 1, log }) => sum + weight * (log - mean) ** 2, 0) / total;
	return { mean, deviation: Math.max(LEAST_DEVIATION, Math.sqrt(spread)) };
}

/** The time within which the share `p` (0 to 1, both left out) of a log-normal has ended. */
export const logNormalQuantile = ({ mean, deviation }: LogNormal, p: number): number =>
	Math.exp(mean + deviation * normalQuantile(p));

const COEFFICIENTS = {
	a: [-3.969683028665376e1, 2.209460984245205e2, -2.759285104469687e2, 1.38357751867269e2, -3.066479806614716e1, 2.506628277459239],
	b: [-5.447609879822406e1, 1.615858368580409e2, -1.556989798598866e2, 6.680131188771972e1, -1.328068155288572e1, 1],
	c: [-7.784894002430293e-3, -3.223964580411365e-1, -2.400758277161838, -2.549732539343734, 4.374664141464968, 2.938163982698783],
	d: [7.784695709041462e-3, 3.224671290700398e-1, 2.445134137142996, 3.754408661907416, 1]
} as const; // prettier-ignore
const polynomial = (coefficients: readonly number[], x: number): number =>
	coefficients.reduce((sum, coefficient) => sum * x + coefficient, 0);

/** The quantile of the standard normal distribution: P. J. Acklam's rational approximation, off by at most 1.15e-9. */
export function normalQuantile(p: number): number {
	const { a, b, c, d } = COEFFICIENTS;
	const TAIL = 0.02425;
	if (p < TAIL) {
		const q = Math.sqrt(-2 * Math.log(p));
		return polynomial(c, q) / polynomial(d, q);
	}
	if (p > 1 - TAIL) return -normalQuantile(1 - p);
	const q = p - 0.5;
	return (polynomial(a, q * q) * q) / polynomial(b, q * q);
}

/** The share of a standard normal distribution below `x`: Abramowitz and Stegun 26.2.17, off by at most 7.5e-8. */
export function normalBelow(x: number): number {
	if (x < 0) return 1 - normalBelow(-x);
	const t = 1 / (1 + 0.2316419 * x);
	const tail = polynomial([1.330274429, -1.821255978, 1.781477937, -0.356563782, 0.31938153, 0], t);
	return 1 - (tail * Math.exp((-x * x) / 2)) / Math.sqrt(2 * Math.PI);
}
