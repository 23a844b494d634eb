import { type RunEvent, type RunState } from '../../../core/onboarding';
import type { ReadyCheck } from '../../../core/profile';

/** What happened to a run, with what is to be kept along with it. */
export interface Happening {
	readonly runId: string;
	readonly event: RunEvent;
	/** The words kept with the event; the unit's own, if it said any. */
	readonly words: string;
	/** What the unit was given, with `call`. */
	readonly served?: {
		readonly rendering: string;
		readonly revisionId: string;
		readonly targetVersion: string | null;
		readonly checks: readonly ReadyCheck[];
	};
	/** What the unit told of itself. */
	readonly facts?: {
		readonly version?: string;
		/** From where it called, as seen from here. */
		readonly address?: string;
		/** All the keys that it will show when it dials home. They count while its run is open. */
		readonly hostKeys?: readonly HostKey[];
	};
}

export interface HostKey {
	readonly algorithm: string;
	/** Base64, as OpenSSH writes it. */
	readonly key: string;
}

export interface Recorded {
	readonly before: RunState;
	readonly after: RunState;
}

export interface LockedRun {
	readonly unitId: string;
	readonly customerId: string;
	readonly serial: string;
	state: RunState;
}
