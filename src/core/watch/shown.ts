import type { TimedStep } from '../onboarding';
import type { Curve } from './survival';

/** What is normal for steps that are alike, as it is shown. Durations in seconds. */
export interface NormalStep {
	readonly step: TimedStep;
	readonly from: string;
	readonly to: string;
	readonly median: number;
	readonly late: number;
	readonly stalled: number;
	readonly curve: Curve;
	/** How many runs that ended stand behind it: its own, and borrowed from like ones. */
	readonly own: number;
	readonly borrowed: number;
	readonly learntAt: Date;
}

/** A step of one run, beside what is normal for it. */
export interface RunStepTime extends NormalStep {
	readonly seconds: number;
	readonly hasEnded: boolean;
	readonly isOpen: boolean;
	readonly beganAt: Date;
}
