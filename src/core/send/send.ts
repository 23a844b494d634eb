/**
 * A confirmed send: an online unit is brought from what it runs to what it should run, under a timer of the unit's
 * own. Limen confirms only once the unit has come back over a new connection and runs what was sent; without that the
 * unit goes back by itself. `afterSend` is the only thing that moves a send, in production as in the spec that searches
 * all interleavings; what is about to be said is recorded before it is said, so that a kill leaves nothing unknown
 * that is not called unknown.
 */
export type SendState =
	| 'waiting'
	| 'loading'
	| 'committing'
	| 'committed'
	| 'confirming'
	| 'confirmed'
	| 'gone back'
	| 'refused'
	| 'differs'
	| 'let go';
const ENDED: ReadonlySet<SendState> = new Set(['confirmed', 'gone back', 'refused', 'differs', 'let go']);
/** Which state may follow which; the database holds to the same. */
export const SEND_MOVES: Readonly<Record<SendState, readonly SendState[]>> = {
	waiting: ['loading', 'refused', 'let go'],
	loading: ['committing', 'refused', 'let go'],
	committing: ['committed', 'confirming', 'confirmed', 'gone back', 'refused', 'differs', 'let go'],
	committed: ['confirming', 'confirmed', 'gone back', 'differs', 'let go'],
	confirming: ['committed', 'confirmed', 'gone back', 'differs', 'let go'],
	confirmed: [],
	'gone back': [],
	refused: [],
	differs: [],
	'let go': []
};
export const sendHasEnded = (state: SendState): boolean => ENDED.has(state);

/** What a reading of the unit's running configuration equals. */
export type Finds = 'intended' | 'before' | 'other';

export interface Send {
	readonly state: SendState;
	/** When the change was about to be set off, in milliseconds since the epoch: the unit's timer began no earlier. */
	readonly committedAt: number | null;
	/** The last reading since something was last said that can change what runs. */
	readonly found: { readonly finds: Finds; readonly at: number; readonly anew: boolean } | null;
	/** The unit said that it took the confirmation. */
	readonly isConfirmAnswered: boolean;
	/** It was told to go back now, and did not refuse. */
	readonly isBackAnswered: boolean;
	/** What it said when it last refused something. */
	readonly refusal: string | null;
}
export const NEW_SEND: Send = {
	state: 'waiting',
	committedAt: null,
	found: null,
	isConfirmAnswered: false,
	isBackAnswered: false,
	refusal: null
};

/** In milliseconds. `grace`: how long after its timer a unit may still be on its way back. */
export interface Terms {
	readonly timer: number;
	readonly grace: number;
}

export type SendEvent =
	| { readonly kind: 'begun' }
	/** Nothing has had effect yet, and nothing will. */
	| { readonly kind: 'given up'; readonly words: string }
	/** Recorded before the first word that can have effect. */
	| { readonly kind: 'commit said'; readonly at: number }
	| { readonly kind: 'commit answered' }
	| { readonly kind: 'commit refused'; readonly words: string }
	/** `at`: when it was asked for. `anew`: over another connection than the one over which the change was set off. */
	| { readonly kind: 'read'; readonly finds: Finds; readonly at: number; readonly anew: boolean }
	| { readonly kind: 'hung up' }
	| { readonly kind: 'confirm said' }
	| { readonly kind: 'confirm answered' }
	| { readonly kind: 'confirm refused'; readonly words: string }
	| { readonly kind: 'back said' }
	| { readonly kind: 'back answered' }
	/** The unit was taken from its position; nobody looks any more. */
	| { readonly kind: 'let go' };

/** The send after an event; an event that does not fit its state changes nothing. */
export function afterSend(send: Send, event: SendEvent, terms: Terms): Send {
	const { state } = send;
	const isUnderWay = state === 'committing' || state === 'committed' || state === 'confirming';
	switch (event.kind) {
		case 'begun':
			return state === 'waiting' ? { ...send, state: 'loading' } : send;
		case 'given up':
			return state === 'waiting' || state === 'loading'
				? { ...send, state: 'refused', refusal: event.words }
				: send;
		case 'commit said':
			return state === 'loading' ? { ...send, state: 'committing', committedAt: event.at } : send;
		case 'commit answered':
			return state === 'committing' ? { ...send, state: 'committed' } : send;
		case 'commit refused':
			return state === 'committing' ? { ...send, refusal: event.words } : send;
		case 'read':
			return isUnderWay ? afterReading(send, event, terms) : send;
		case 'confirm said':
			return isUnderWay ? { ...send, state: 'confirming', found: null, refusal: null } : send;
		case 'confirm answered':
			return state === 'confirming' ? { ...send, isConfirmAnswered: true } : send;
		case 'confirm refused':
			return state === 'confirming' ? { ...send, state: 'committed', refusal: event.words } : send;
		case 'back said':
		case 'hung up':
			return isUnderWay ? { ...send, found: null } : send;
		case 'back answered':
			return isUnderWay ? { ...send, isBackAnswered: true } : send;
		case 'let go':
			return sendHasEnded(state) ? send : { ...send, state: 'let go' };
	}
}

function afterReading(
	send: Send,
	{ finds, at, anew }: Extract<SendEvent, { kind: 'read' }>,
	terms: Terms
): Send {
	const found = { finds, at, anew };
	const [timerIsOver, isSurelyOver] = [at >= timerEnd(send, terms), at >= settledAt(send, terms)];
	const ended = (state: SendState): Send => ({ ...send, state, found });
	switch (finds) {
		case 'intended':
			if (send.isConfirmAnswered) return ended('confirmed');
			// It runs it long after its timer and says that nothing waits to be confirmed: so it is for good
			if (send.refusal !== null && isSurelyOver && anew) return ended('confirmed');
			// Its answer was lost, and it may have been set off after this connection was made
			return send.state === 'committing'
				? { ...send, state: 'committed', found: { ...found, anew: false } }
				: { ...send, found };
		case 'before':
			if (send.state === 'committing' && send.refusal !== null) return ended('refused');
			if (send.isBackAnswered || timerIsOver) return ended('gone back');
			return { ...send, found };
		case 'other':
			return isSurelyOver ? ended('differs') : { ...send, found };
	}
}

/** Not before this can the unit's timer have run out; in milliseconds since the epoch. */
export const timerEnd = ({ committedAt }: Send, { timer }: Terms): number => (committedAt ?? 0) + timer;
/** After this a reading tells how it ended. */
export const settledAt = (send: Send, terms: Terms): number => timerEnd(send, terms) + terms.grace;

export type NextStep = 'load' | 'look' | 'confirm' | 'go back' | 'hang up' | 'wait' | 'nothing';

/**
 * Of sends that are confirmed together or not at all, how the others are: `ready`: all came back with what they were sent;
 * `lost`: one did not take it, or will not keep it.
 */
export type Others = 'ready' | 'waiting' | 'lost';

/** How a send is to those that are confirmed together with it. */
export function toOthers({ state, found }: Send): Others {
	if (state === 'confirmed' || state === 'confirming') return 'ready';
	if (sendHasEnded(state)) return 'lost';
	return found?.finds === 'intended' && found.anew ? 'ready' : 'waiting';
}
export const togetherOf = (others: readonly Send[]): Others => {
	const said = others.map(toOthers);
	return said.includes('lost') ? 'lost' : said.includes('waiting') ? 'waiting' : 'ready';
};

/**
 * What is to be done next at a unit that is connected. `wait`: until `settledAt`, and then to look again. `hang up`:
 * it has to come back over a connection that is made from now on. `others`: it is confirmed only once they are ready; where
 * one is lost, it goes back as well.
 */
export function nextStep(
	send: Send,
	now: number,
	terms: Terms,
	canGoBack: boolean,
	others: Others = 'ready'
): NextStep {
	if (sendHasEnded(send.state) || send.state === 'loading') return 'nothing';
	if (send.state === 'waiting') return 'load';
	const { found } = send;
	// What was read before it could be known how it ended is read again once it can
	if (!found || (found.at < settledAt(send, terms) && now >= settledAt(send, terms))) return 'look';
	// Over the connection that set it off nothing is proven of the way back in
	const mayGoBack = canGoBack && !send.isBackAnswered && now < timerEnd(send, terms);
	if (found.finds === 'intended') {
		if (!found.anew) return 'hang up';
		if (others === 'lost' && send.state !== 'confirming') return mayGoBack ? 'go back' : 'wait';
		return send.refusal === null && others === 'ready' ? 'confirm' : 'wait';
	}
	return found.finds === 'other' && mayGoBack ? 'go back' : 'wait';
}

/** Whether its unit should have come back long ago. */
export const isOverdue = (send: Send, now: number, terms: Terms): boolean =>
	send.committedAt !== null && !sendHasEnded(send.state) && now > settledAt(send, terms);

const STATE_WORDS: Readonly<Record<SendState, readonly [title: string, sentence: string]>> = {
	waiting: ['waits', 'Waits for the unit.'],
	loading: ['being loaded', 'Being loaded; nothing has changed yet.'],
	committing: ['put to use', 'Put to use; whether the unit took it is not known yet.'],
	committed: ['put to use', 'In use under the unit’s own timer; waits for the unit to come back.'],
	confirming: ['being confirmed', 'The unit came back with it; it is being confirmed.'],
	confirmed: ['confirmed', 'The unit came back with what was sent, and keeps it.'],
	'gone back': [
		'gone back',
		'The unit did not come back with it in time, so it went back by itself to what it ran before.'
	],
	refused: ['not sent', 'Nothing was changed.'],
	differs: ['differs', 'The unit runs neither what was sent nor what it ran before.'],
	'let go': ['let go', 'The unit was taken from its position before it was known how this ended.']
};
/** A state in a word or two, and in a sentence. */
export const sendTitle = (state: SendState): string => STATE_WORDS[state][0];
export const sendWords = (state: SendState): string => STATE_WORDS[state][1];
