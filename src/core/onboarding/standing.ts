import type { RunState } from './run';
import type { RunStep } from './steps';

/** How a run stands for the people who watch: told by shape and word first. */
export const STANDINGS = [
	'stuck',
	'stalled',
	'late',
	'moving',
	'not-heard',
	'waiting',
	'through',
	'cancelled'
] as const;
export type Standing = (typeof STANDINGS)[number];

/** Whether somebody has to do something about it; nothing else is called that. */
export const needsPerson = (standing: Standing): boolean => standing === 'stuck' || standing === 'stalled';

/** How many present runs stand how, and how many are at each step. */
export interface StandingCounts {
	readonly standings: Readonly<Record<Standing, number>>;
	readonly steps: Readonly<Record<RunStep, number>>;
}

/** What a run's step is measured by; moments in milliseconds since the epoch. */
export interface Limits {
	/** Since when a unit that was online has no connection, and how long that is normal. */
	readonly quietSince: number | null;
	readonly quietNormal: number;
	/** When its step becomes late, and stalled; null where nothing is known yet. */
	readonly lateAt: number | null;
	readonly stalledAt: number | null;
	/** What its step waits for and cannot come. */
	readonly lacks: 'image' | 'connection' | null;
}
const NO_LIMITS: Limits = { quietSince: null, quietNormal: 0, lateAt: null, stalledAt: null, lacks: null };

/**
 * How a run stands; the database says the same of present ones (view position_standing). `refusedCalls`:
 * somebody called with this unit's serial and was refused since the run began. A unit that came through is
 * online while it is connected, and for as long after as is normal for its model; then it is not heard.
 */
export function standingOf(
	run: Pick<RunState, 'step' | 'outcome'>,
	now: number,
	refusedCalls = 0,
	{ quietSince, quietNormal, lateAt, stalledAt, lacks }: Limits = NO_LIMITS
): Standing {
	if (run.outcome === 'failed') return 'stuck';
	if (run.outcome === 'through')
		return quietSince !== null && now - quietSince > quietNormal ? 'not-heard' : 'through';
	if (run.outcome === 'cancelled') return 'cancelled';
	if (run.step === 'bound') return refusedCalls > 0 ? 'stuck' : 'waiting';
	if (lacks !== null || (stalledAt !== null && now > stalledAt)) return 'stalled';
	return lateAt !== null && now > lateAt ? 'late' : 'moving';
}

/** What a unit is doing at each step, as one would say it. */
const DOING: Readonly<Record<RunStep, string>> = {
	bound: 'not heard yet',
	calling: 'calling',
	identity: 'showing who it is',
	firmware: 'changing its firmware',
	configuration: 'taking its configuration',
	proof: 'being proven',
	online: 'online'
};

/**
 * How a position stands, in a few words that also say where: `failed at firmware`, `wrong claim code`, `late:
 * taking its configuration`. One sentence for lists, boards, maps and pages alike. `open` has no unit;
 * `step` is where its run is.
 */
export function standingWords(standing: Standing | 'open' | 'online', step: RunStep | null): string {
	if (standing === 'open') return 'no unit';
	if (standing === 'through' || standing === 'online') return 'online';
	if (standing === 'not-heard') return 'not heard';
	if (standing === 'cancelled') return 'cancelled';
	if (standing === 'waiting' || step === null) return DOING.bound;
	// A bound unit that needs somebody called and was refused: nothing else stops it before it has called
	if (standing === 'stuck') return step === 'bound' ? 'wrong claim code' : `failed at ${step}`;
	return standing === 'late' || standing === 'stalled' ? `${standing}: ${DOING[step]}` : DOING[step];
}
