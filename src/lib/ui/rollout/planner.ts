import type { PlanInputs, RolloutPlan, RolloutRules } from '$core/rollout';
import type { PlannedInWorker, ToPlan } from './planner.worker';

/** Computes plans beside the page, one after the other; of several that wait only the last is computed. */
export class Planner {
	readonly #worker = new Worker(new URL('./planner.worker.ts', import.meta.url), { type: 'module' });
	readonly #onPlan: (plan: RolloutPlan) => void;
	#last = 0;
	#isBusy = false;
	#next: { readonly rules: RolloutRules; readonly now: number } | null = null;

	constructor(inputs: PlanInputs, onPlan: (plan: RolloutPlan) => void) {
		this.#onPlan = onPlan;
		this.#worker.postMessage({ inputs } satisfies ToPlan);
		this.#worker.addEventListener('message', ({ data }: MessageEvent<PlannedInWorker>) => {
			this.#isBusy = false;
			if (this.#next) this.plan(this.#next.rules, this.#next.now);
			else if (data.id === this.#last) this.#onPlan(data.plan);
		});
	}

	plan(rules: RolloutRules, now: number): void {
		if (this.#isBusy) return void (this.#next = { rules, now });
		this.#next = null;
		this.#isBusy = true;
		this.#worker.postMessage({ id: ++this.#last, rules, now } satisfies ToPlan);
	}

	end(): void {
		this.#worker.terminate();
	}
}
