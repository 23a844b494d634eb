import type { ProgressType } from '../bootstrap';
import { canMove, isTimed, rankOf, type RunStep, type TimedStep } from './steps';

/**
 * A run: one attempt to bring a bound unit online, as a pure state machine over what the unit says
 * (RFC 8572 progress reports) and does (calls, dials home). Times are milliseconds since the epoch.
 */
export interface RunState {
	readonly step: RunStep;
	/** `through` is online; `failed` waits for a person; `cancelled` was ended by one. */
	readonly outcome: 'open' | 'failed' | 'through' | 'cancelled';
	/** When the run came to its step. */
	readonly since: number;
	/** The unit said that it reboots into new firmware: until it reports again, its calls begin no new attempt. */
	readonly restartExpected: boolean;
	readonly failure: Failure | null;
}

export interface Failure {
	readonly step: RunStep;
	/** What kind of thing failed: the progress type, the `proof`, or Limen `withheld` what it could not compute. */
	readonly kind: ProgressType | 'proof' | 'withheld';
	/** The unit's own words, or ours about the proof. */
	readonly words: string;
}

export type RunEvent =
	| { readonly kind: 'call'; readonly at: number }
	/** It was told where to ask; it has not come there by that. */
	| { readonly kind: 'redirect'; readonly at: number }
	/** Files for removable storage were made for it. */
	| { readonly kind: 'bundle'; readonly at: number }
	/** Somebody said that a key is its. */
	| { readonly kind: 'key'; readonly at: number }
	| { readonly kind: 'report'; readonly at: number; readonly type: ProgressType; readonly words: string }
	| { readonly kind: 'call-home'; readonly at: number }
	| { readonly kind: 'proof'; readonly at: number; readonly failed: string | null }
	| { readonly kind: 'withheld'; readonly at: number; readonly words: string }
	| { readonly kind: 'cancel'; readonly at: number };

/** A new run: the unit is bound and has not called yet. */
export const beginRun = (at: number): RunState => ({
	step: 'bound',
	outcome: 'open',
	since: at,
	restartExpected: false,
	failure: null
});

/**
 * What a run becomes by an event. Never rejects: an event that comes late, twice or out of order is
 * recorded by the caller and changes nothing here.
 *
 * Laws:
 * - a run that has ended does not change any more;
 * - a report never takes a run back, so that the reports of one attempt lead to the same step in any order;
 * - before the unit has called, reports are of an earlier attempt: only `bootstrap-initiated` counts;
 * - `online` is reached by a proof that holds, never by a report;
 * - every change of step is one of STEP_MOVES.
 */
export function advance(state: RunState, event: RunEvent): RunState {
	if (state.outcome !== 'open') return state;
	switch (event.kind) {
		case 'call':
			return call(state, event.at);
		case 'redirect':
		case 'bundle':
		case 'key':
			return state;
		case 'report':
			return report(state, event.type, event.words, event.at);
		case 'call-home':
			return state.step === 'bound' ? moveTo(state, 'proof', event.at) : state;
		case 'proof':
			return prove(state, event.failed, event.at);
		case 'withheld':
			return {
				...state,
				outcome: 'failed',
				failure: { step: state.step, kind: 'withheld', words: event.words }
			};
		case 'cancel':
			return { ...state, outcome: 'cancelled' };
	}
}

/** A step that a run has left, or at which it ended; `hasEnded` is false where it was broken off. Moments in milliseconds. */
export interface LeftStep {
	readonly step: TimedStep;
	readonly began: number;
	readonly ended: number;
	readonly hasEnded: boolean;
}

/** The step that an event ended; null where the run stays at its step, or its step has no normal duration. */
export function leftStep(before: RunState, after: RunState, at: number): LeftStep | null {
	if ((before.step === after.step && before.outcome === after.outcome) || !isTimed(before.step)) return null;
	return {
		step: before.step,
		began: before.since,
		// A clock that was put back makes no step end before it began
		ended: Math.max(before.since, at),
		hasEnded: rankOf(after.step) > rankOf(before.step)
	};
}

/** The step a report belongs to; null when it belongs to none. */
function stepOfReport(type: ProgressType): RunStep | null {
	if (type === 'bootstrap-initiated' || type.startsWith('parsing-')) return 'identity';
	if (type.startsWith('boot-image-')) return 'firmware';
	if (type === 'bootstrap-complete') return 'proof';
	return /^(pre-script|config|post-script)-/.test(type) ? 'configuration' : null;
}

const isErrorReport = (type: ProgressType): boolean => type.endsWith('-error');

function call(state: RunState, at: number): RunState {
	if (state.restartExpected) return state;
	return moveTo(state, 'calling', at);
}

function report(state: RunState, type: ProgressType, words: string, at: number): RunState {
	if (state.step === 'bound' && type !== 'bootstrap-initiated') return state;
	const step = stepOfReport(type);
	if (isErrorReport(type)) {
		const failedAt = step ?? state.step;
		const moved = rankOf(failedAt) > rankOf(state.step) ? moveTo(state, failedAt, at) : state;
		return { ...moved, outcome: 'failed', failure: { step: failedAt, kind: type, words } };
	}
	if (type === 'bootstrap-initiated' && state.restartExpected) return { ...state, restartExpected: false };
	if (step === null || rankOf(step) < rankOf(state.step)) return state;
	const moved = moveTo(state, step, at);
	return type === 'boot-image-installed-rebooting' ? { ...moved, restartExpected: true } : moved;
}

function prove(state: RunState, failed: string | null, at: number): RunState {
	if (state.step !== 'proof') return state;
	if (failed === null) return { ...moveTo(state, 'online', at), outcome: 'through' };
	return { ...state, outcome: 'failed', failure: { step: 'proof', kind: 'proof', words: failed } };
}

const moveTo = (state: RunState, step: RunStep, at: number): RunState =>
	state.step === step || !canMove(state.step, step)
		? state
		: { ...state, step, since: at, restartExpected: false };
