import type { RunStep } from '../onboarding';
import type { PositionStanding } from '../plan';

/** What became of a unit, as a batch is told: how it stands, and where that is a step's fault, at which step. */
export interface Outcome {
	readonly standing: Exclude<PositionStanding, 'open'> | 'free';
	readonly step: RunStep | null;
	readonly count: number;
}

const PLAIN: Readonly<Partial<Record<Outcome['standing'], string>>> = {
	online: 'through',
	'not-heard': 'through, and not heard any more',
	moving: 'under way',
	late: 'under way, late',
	waiting: 'not heard yet',
	free: 'not bound'
};

/** `through`, `failed at firmware`, `stalled at identity`, `not heard yet`. */
export function outcomeWords({ standing, step }: Pick<Outcome, 'standing' | 'step'>): string {
	const plain = PLAIN[standing];
	if (plain !== undefined) return plain;
	if (step === 'bound') return 'called with a wrong claim code';
	return `${standing === 'stalled' ? 'stalled' : 'failed'} at ${step}`;
}
