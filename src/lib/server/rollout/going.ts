import type { RolloutKind, RolloutRules, RolloutState } from '../../../core/rollout';

/** What of a rollout its going on needs. */
export interface Going {
	readonly id: string;
	readonly title: string;
	readonly kind: RolloutKind;
	readonly state: RolloutState;
	readonly customerId: string | null;
	readonly rules: RolloutRules;
	readonly personId: string;
	readonly actor: string;
	readonly address: string | null;
	readonly reason: string | null;
	readonly asked: boolean;
	readonly words: string;
	/** Outcomes up to this one count no more for the stop rule. */
	readonly countedAfter: number;
	readonly stoppedModels: readonly string[];
	readonly isPast: boolean;
}
