/**
 * A rotation: secrets are replaced at a unit, and at the other end of each tunnel among them, in sends that are confirmed
 * together or not at all. The old ones are kept until the new ones are proved, and come back into the plan where they are not.
 */
export const ROTATION_STATES = ['sending', 'proving', 'returning', 'done', 'failed'] as const;
export type RotationState = (typeof ROTATION_STATES)[number];
/** Which state may follow which; the database holds to the same. */
export const ROTATION_MOVES: Readonly<Record<RotationState, readonly RotationState[]>> = {
	sending: ['proving', 'returning', 'failed'],
	proving: ['done', 'returning', 'failed'],
	returning: ['failed'],
	done: [],
	failed: []
};
export const rotationHasEnded = (state: RotationState): boolean => ROTATION_MOVES[state].length === 0;

/** One unit that a rotation changes. `sent`: how its last send has ended. `proved`: null as long as that is not known. */
export interface RotationEnd {
	readonly sent: 'open' | 'confirmed' | 'not sent';
	readonly proved: boolean | null;
}

/**
 * What comes next. `keep`: the new secrets are good, the old ones are destroyed. `return`: the old ones come back into the
 * plan, and are sent to the ends that took the new ones. `give up`: nothing more can be done, and people are told.
 * `canReturn`: nobody else was given the new ones meanwhile.
 */
export type RotationStep = 'wait' | 'prove' | 'keep' | 'return' | 'give up';

/**
 * Laws: nothing is kept before all ends took it and proved it; while an end is open nothing is decided; after `return` or
 * without the possibility of it the rotation has failed, never done.
 */
export function nextRotationStep(
	state: RotationState,
	ends: readonly RotationEnd[],
	canReturn: boolean
): RotationStep {
	if (rotationHasEnded(state)) return 'wait';
	if (state !== 'proving' && ends.some(({ sent }) => sent === 'open')) return 'wait';
	switch (state) {
		case 'sending':
			if (ends.every(({ sent }) => sent === 'confirmed')) return 'prove';
			return canReturn ? 'return' : 'give up';
		case 'proving':
			if (ends.some(({ proved }) => proved === false)) return canReturn ? 'return' : 'give up';
			return ends.every(({ proved }) => proved === true) ? 'keep' : 'wait';
		default:
			return 'give up';
	}
}

const STATE_WORDS: Readonly<Record<RotationState, readonly [title: string, sentence: string]>> = {
	sending: ['being sent', 'The new secret is being sent to all its ends.'],
	proving: ['being proved', 'All ends took the new secret; it is being proved.'],
	returning: ['going back', 'The old secret is being sent again.'],
	done: ['renewed', 'The new secret is proved, and the old one is destroyed.'],
	failed: ['not renewed', 'The new secret could not be proved.']
};
export const rotationTitle = (state: RotationState): string => STATE_WORDS[state][0];
export const rotationWords = (state: RotationState): string => STATE_WORDS[state][1];
