import { planOf, type PlanInputs, type RolloutPlan, type RolloutRules } from '$core/rollout';

export interface ToPlan {
	readonly id: number;
	readonly inputs: PlanInputs;
	readonly rules: RolloutRules;
	readonly now: number;
}
export interface PlannedInWorker {
	readonly id: number;
	readonly plan: RolloutPlan;
}

self.addEventListener('message', ({ data: { id, inputs, rules, now } }: MessageEvent<ToPlan>) =>
	self.postMessage({ id, plan: planOf(inputs, rules, now) } satisfies PlannedInWorker)
);
