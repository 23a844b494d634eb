import type { Standing } from '$core/onboarding';
import type { ItemState, RolloutState } from '$core/rollout';

/** The shape and the words of how a rollout stands. */
export const STATES: Readonly<
	Record<RolloutState, readonly [standing: Exclude<Standing, 'cancelled'>, words: string]>
> = {
	planned: ['waiting', 'planned'],
	'under way': ['moving', 'under way'],
	paused: ['waiting', 'paused'],
	stopped: ['stuck', 'stopped'],
	ended: ['through', 'over']
};
export const ITEMS: Readonly<Record<ItemState, Exclude<Standing, 'cancelled'>>> = {
	waiting: 'waiting',
	'under way': 'moving',
	done: 'through',
	failed: 'stuck',
	'left out': 'waiting'
};
