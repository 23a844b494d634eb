import type { RunState } from './run';
import type { Limits } from './standing';

/** One position's present run, with all that a watcher needs to see of it. */
export interface Arrival extends Limits {
	readonly runId: string;
	readonly unitId: string;
	readonly serial: string;
	readonly modelName: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly step: RunState['step'];
	readonly outcome: RunState['outcome'];
	/** Milliseconds since the epoch. */
	readonly since: number;
	readonly begunAt: number;
	readonly heardAt: number | null;
	/** When its unit was first heard, in this run. */
	readonly calledAt: number | null;
	/** What makes its failure the same as others; null until it was looked at. */
	readonly signatureId: string | null;
	readonly failureStep: string | null;
	readonly failureKind: string | null;
	readonly failureWords: string | null;
	readonly lastType: string | null;
	readonly lastWords: string | null;
	/** Calls with this unit's serial and a wrong claim code since the run began. */
	readonly wrongCode: number;
}
