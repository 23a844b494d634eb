import type { RunState } from './run';
import type { RunStep } from './steps';

/** How a run stands for the people who watch: told by shape and word first. */
export const STANDINGS = ['stuck', 'slow', 'moving', 'waiting', 'through', 'cancelled'] as const;
export type Standing = (typeof STANDINGS)[number];

/** How long a step lasts when all is well, in milliseconds; null when no time is too long. */
export const NORMAL_DURATION: Readonly<Record<RunStep, number | null>> = {
	bound: null,
	calling: 2 * 60_000,
	identity: 2 * 60_000,
	firmware: 20 * 60_000,
	configuration: 5 * 60_000,
	proof: 5 * 60_000,
	online: null
};

/** Whether somebody has to do something about it; nothing else is called that. */
export const needsPerson = (standing: Standing): boolean => standing === 'stuck';

/** How many present runs stand how, and how many are at each step. */
export interface StandingCounts {
	readonly standings: Readonly<Record<Standing, number>>;
	readonly steps: Readonly<Record<RunStep, number>>;
}

/** How a run stands; the database says the same of present ones (view position_standing). `refusedCalls`: somebody called with this unit's serial and was refused since the run began. */
export function standingOf(
	run: Pick<RunState, 'step' | 'outcome' | 'since'>,
	now: number,
	refusedCalls = 0
): Standing {
	if (run.outcome === 'failed') return 'stuck';
	if (run.outcome === 'through') return 'through';
	if (run.outcome === 'cancelled') return 'cancelled';
	if (run.step === 'bound') return refusedCalls > 0 ? 'stuck' : 'waiting';
	const normal = NORMAL_DURATION[run.step];
	return normal !== null && now - run.since > normal ? 'slow' : 'moving';
}
