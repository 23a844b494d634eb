import type { ItemState, PlanInputs, RolloutKind, RolloutRules, RolloutState } from './plan';

/** How many units of a rollout, or of one of its waves, stand how. */
export interface RolloutCounts {
	readonly total: number;
	readonly done: number;
	readonly failed: number;
	readonly leftOut: number;
	readonly underWay: number;
}

/** A rollout as people see it. */
export interface Rollout extends RolloutCounts {
	readonly id: string;
	readonly title: string;
	readonly kind: RolloutKind;
	readonly customerId: string | null;
	readonly rules: RolloutRules | null;
	readonly state: RolloutState;
	readonly words: string;
	readonly stoppedModels: readonly string[];
	readonly actor: string;
	readonly personId: string;
	readonly reason: string | null;
	readonly backOf: string | null;
	readonly plannedAt: Date;
	readonly begunAt: Date | null;
	readonly until: Date | null;
	readonly endedAt: Date | null;
	/** The cohort that it is for; null where it is for units that were chosen. */
	readonly cohort: string | null;
	/** Whoever comes into the cohort while it is under way is done too. */
	readonly joins: boolean;
}

/** A unit in a rollout. */
export interface RolloutItem {
	readonly unitId: string;
	readonly serial: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly positionName: string;
	readonly customer: string;
	readonly model: string;
	readonly wave: number | null;
	readonly from: string;
	readonly to: string | null;
	readonly state: ItemState;
	readonly words: string;
	readonly signature: string;
	readonly isNow: boolean;
	/** How long it is expected to take, in milliseconds. */
	readonly takes: number;
	/** In milliseconds since 1970. */
	readonly begunAt: number | null;
	readonly endedAt: number | null;
	/** What its flash or its send is at; null when none is under way. */
	readonly flashState: string | null;
	readonly percent: number | null;
	readonly sendState: string | null;
	readonly rotationState: string | null;
	readonly isConnected: boolean;
	/** Something else is done at it. */
	readonly isBusy: boolean;
}

/** What has become of each wave. */
export interface WaveCount extends RolloutCounts {
	readonly wave: number;
	readonly begunAt: Date | null;
	readonly endedAt: Date | null;
}

/** Failures of one kind at one model, the most frequent first. */
export interface FailedAlike {
	readonly model: string;
	readonly words: string;
	readonly units: number;
}

/** What the plan of a rollout is computed from, and what somebody has to know before it begins. */
export interface RolloutAhead {
	readonly inputs: PlanInputs;
	/** Sites at which the contact is asked first. */
	readonly asksFirst: number;
	readonly away: number;
	readonly drifted: number;
	/** Of units that would get an older firmware. */
	readonly back: number;
	readonly sites: number;
	readonly customers: number;
	/** Secrets that are renewed, each with how many of the units have it; none where it is Limen's own key. */
	readonly renews: readonly { readonly name: string; readonly isTunnel: boolean; readonly units: number }[];
	readonly changes: readonly {
		readonly model: string;
		readonly from: string;
		readonly to: string | null;
		readonly units: number;
	}[];
}
