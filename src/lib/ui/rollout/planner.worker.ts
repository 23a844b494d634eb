import { planOf, type PlanInputs, type RolloutPlan, type RolloutRules } from '$core/rollout';

/** What it is told: once the units, then rules as often as they change. */
export type ToPlan =
	| { readonly inputs: PlanInputs }
	| { readonly id: number; readonly rules: RolloutRules; readonly now: number };
export interface PlannedInWorker {
	readonly id: number;
	readonly plan: RolloutPlan;
}

let known: PlanInputs | null = null;
self.addEventListener('message', ({ data }: MessageEvent<ToPlan>) => {
	if ('inputs' in data) known = data.inputs;
	else if (known)
		self.postMessage({ id: data.id, plan: planOf(known, data.rules, data.now) } satisfies PlannedInWorker);
});
