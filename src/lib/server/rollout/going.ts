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
	readonly countedFrom: Date;
	readonly stoppedModels: readonly string[];
	readonly isPast: boolean;
}
