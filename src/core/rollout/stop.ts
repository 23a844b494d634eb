/**
 * When a rollout stops. After each outcome, in the order in which they came, Wald's sequential probability ratio test
 * (The Annals of Mathematical Statistics 16, 1945) weighs that twice the allowed share of units fails against that half
 * of it does. The ratio is never set back, so that the bound on false stops holds however long the rollout is (Ville's
 * inequality): at half the allowed share at most ERROR of all rollouts ever stop.
 */
export interface StopRule {
	/** The allowed share of failures, above 0 and at most a half. */
	readonly allowed: number;
	/** Failures of one kind at one model stop that model alone where the others do well without it. */
	readonly byModel: boolean;
}
const ERROR = 0.05;
export const MOST_ALLOWED = 0.5;
/** A share of 1 would call each success impossible. */
const NEARLY_ALL = 0.98;

/** How one unit ended. `signature`: failures with the same one are of one kind. */
export interface Outcome {
	readonly model: string;
	readonly failed: boolean;
	readonly signature: string;
}

interface Weights {
	readonly failure: number;
	readonly success: number;
}
const weightsOf = (allowed: number): Weights => {
	const [half, twice] = [allowed / 2, Math.min(NEARLY_ALL, allowed * 2)];
	return { failure: Math.log(twice / half), success: Math.log((1 - twice) / (1 - half)) };
};
const weighed = ({ failure, success }: Weights, failures: number, all: number): number =>
	failures * failure + (all - failures) * success;

/** Above this too many fail. With single models watched beside the whole, each gets its part of the error. */
const stopsAbove = (watched: number): number => Math.log(watched / ERROR);
const PROVED_BELOW = Math.log(ERROR / (1 - ERROR));

/** What the outcomes so far say. */
export type Verdict =
	| { readonly kind: 'go on'; readonly proved: boolean }
	| { readonly kind: 'stop'; readonly failures: number; readonly after: number }
	| {
			readonly kind: 'stop model';
			readonly model: string;
			readonly signature: string;
			readonly failures: number;
			readonly after: number;
	  };

/** A number of outcomes and how many of them failed. */
class Tally {
	all = 0;
	failures = 0;
	add(failed: boolean): void {
		this.all++;
		if (failed) this.failures++;
	}
}

/**
 * What a rollout's outcomes say, oldest first: the first time that too many had failed, else to go on, and whether so many
 * did well that it is proved enough (the test's other threshold). `stopped`: models that were stopped already; their
 * outcomes count no more. Linear in the outcomes.
 */
export function verdict(
	outcomes: readonly Outcome[],
	{ allowed, byModel }: StopRule,
	stopped: ReadonlySet<string> = new Set()
): Verdict {
	const counted = outcomes.filter(({ model }) => !stopped.has(model));
	const weights = weightsOf(allowed);
	const models = new Map<string, Tally>();
	for (const { model } of outcomes) if (!models.has(model)) models.set(model, new Tally());
	const single = byModel && models.size > 1;
	// Half of the error for the whole, half for the models together
	const [limit, limitOfModel] = [stopsAbove(single ? 2 : 1), stopsAbove(2 * models.size)];
	const whole = new Tally();
	const kinds = new Map<string, number>();
	for (const { model, failed, signature } of counted) {
		whole.add(failed);
		const own = models.get(model)!;
		own.add(failed);
		if (!failed) continue;
		const kind = JSON.stringify([model, signature]);
		kinds.set(kind, (kinds.get(kind) ?? 0) + 1);
		const modelFails = single && weighed(weights, own.failures, own.all) >= limitOfModel;
		const wholeFails = weighed(weights, whole.failures, whole.all) >= limit;
		if (!modelFails && !wholeFails) continue;
		const alone = single ? theOneModel(models, kinds, whole, weights, limit) : null;
		const found = alone ?? (modelFails ? { model, signature } : null);
		if (found && leavesOthers(models, found.model, stopped)) {
			const { failures, all } = models.get(found.model)!;
			return { kind: 'stop model', ...found, failures, after: all };
		}
		return { kind: 'stop', failures: whole.failures, after: whole.all };
	}
	return { kind: 'go on', proved: weighed(weights, whole.failures, whole.all) <= PROVED_BELOW };
}

const leavesOthers = (
	models: ReadonlyMap<string, Tally>,
	one: string,
	stopped: ReadonlySet<string>
): boolean => [...models.keys()].some((model) => model !== one && !stopped.has(model));

/** The model with one kind of failure that is most of what failed, where the rest does well without it. */
function theOneModel(
	models: ReadonlyMap<string, Tally>,
	kinds: ReadonlyMap<string, number>,
	whole: Tally,
	weights: Weights,
	limit: number
): { readonly model: string; readonly signature: string } | null {
	const [kind, failures] = [...kinds].reduce((most, one) => (one[1] > most[1] ? one : most));
	if (failures * 2 <= whole.failures) return null;
	const [model, signature] = JSON.parse(kind) as [string, string];
	const own = models.get(model)!;
	const rest = weighed(weights, whole.failures - own.failures, whole.all - own.all);
	return rest < limit / 2 ? { model, signature } : null;
}

/** A rule for so many models. */
export interface RuleFor extends StopRule {
	readonly models: number;
}
/** How many are watched: the whole, and where a model may stop alone, the models with the other half of the error. */
const wholeStopsAbove = ({ byModel, models }: Pick<RuleFor, 'byModel' | 'models'>): number =>
	stopsAbove(byModel && models > 1 ? 2 : 1);

/**
 * The chance that a rollout of so many units, of which each fails with this chance, ends without the whole having been
 * stopped: exactly, by the number of failures after each outcome. Quadratic in what can fail before it stops, times the units.
 */
export function chanceOfNoStop(units: number, failing: number, rule: RuleFor): number {
	const weights = weightsOf(rule.allowed);
	const limit = wholeStopsAbove(rule);
	// by the number of failures so far, of the rollouts that still go on
	let chances = [1];
	for (let all = 1; all <= units; all++) {
		const next = new Array<number>(chances.length + 1).fill(0);
		for (const [failures, chance] of chances.entries()) {
			next[failures]! += chance * (1 - failing);
			if (weighed(weights, failures + 1, all) < limit) next[failures + 1]! += chance * failing;
		}
		while (next.length > 1 && next.at(-1)! < 1e-15) next.pop();
		chances = next;
	}
	return chances.reduce((sum, chance) => sum + chance, 0);
}

/** The chance that a rollout of so many units does not notice that twice the allowed share fails. */
export const chanceOfMissing = (units: number, rule: RuleFor): number =>
	chanceOfNoStop(units, Math.min(NEARLY_ALL, rule.allowed * 2), rule);
/** So few failures, the first of all outcomes, stop it. */
export const fewestFailures = (rule: RuleFor): number =>
	Math.ceil(wholeStopsAbove(rule) / weightsOf(rule.allowed).failure);
