import type { Knex } from 'knex';
import type { RolloutKind, RolloutRules, RolloutState } from '../../../../core/rollout';
import { enterInLedger, LIMEN } from '../../ledger';

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
	readonly begunAt: Date;
	readonly isPast: boolean;
}

/** Enters in the ledger what a rollout does by itself. */
export const entered = (
	trx: Knex,
	{ id, title, customerId }: Pick<Going, 'id' | 'title' | 'customerId'>,
	act: string,
	words: string
) =>
	enterInLedger(trx, LIMEN, [
		{ act, customerId, subjectKind: 'rollout', subjectId: id, words: `Rollout “${title}”: ${words}` }
	]);
