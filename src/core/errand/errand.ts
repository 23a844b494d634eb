/**
 * An errand: one piece of work wanted of one unit, done by whichever process holds its connection. Its state
 * moves along ERRAND_MOVES and ends once; the database holds to the same.
 */
export type ErrandState = 'waiting' | 'under way' | 'done' | 'failed' | 'cancelled' | 'expired' | 'uncertain';

/**
 * `under way` goes back to `waiting` when the connection broke and nothing can have changed. `uncertain`: it
 * broke after something was said that may have had effect; only a person decides what to do next.
 */
export const ERRAND_MOVES: readonly (readonly [ErrandState, ErrandState])[] = [
	['waiting', 'under way'],
	['waiting', 'cancelled'],
	['waiting', 'expired'],
	['under way', 'done'],
	['under way', 'failed'],
	['under way', 'uncertain'],
	['under way', 'waiting'],
	['under way', 'cancelled']
];

export const hasEnded = (state: ErrandState): boolean => state !== 'waiting' && state !== 'under way';

interface Kind {
	/** What it does, as a button or a line of a list says it. */
	readonly words: string;
	/** It changes nothing at the unit, so it may be tried again by itself. */
	readonly readsOnly: boolean;
	/** That the connection breaks over it is its effect. */
	readonly breaksOff?: boolean;
	/** Done so often that neither what was said nor that it was done is kept. */
	readonly isPassing?: boolean;
	/** The highest goes first. */
	readonly priority: number;
	/** How long it may wait for its unit, in milliseconds, unless whoever asks says otherwise. */
	readonly waits: number;
}

const MINUTE = 60_000;
export const ERRAND_KINDS = {
	prove: { words: 'Prove that it is what it should be', readsOnly: true, priority: 50, waits: 10 * MINUTE },
	read: { words: 'Read its configuration', readsOnly: true, priority: 10, waits: 60 * MINUTE },
	send: {
		words: 'Send what it should run',
		readsOnly: false,
		priority: 60,
		waits: 10 * MINUTE
	},
	/** A send that was set off is looked after: read, confirmed, or seen gone back. */
	settle: { words: 'Look how a send has ended', readsOnly: false, priority: 80, waits: 10 * MINUTE },
	/** Goes on with a change of firmware: each time with its next step. */
	flash: { words: 'Change its firmware', readsOnly: false, priority: 60, waits: 10 * MINUTE },
	restart: { words: 'Restart it', readsOnly: false, breaksOff: true, priority: 60, waits: 10 * MINUTE },
	save: {
		words: 'Have it start with what it runs',
		readsOnly: false,
		priority: 60,
		waits: 10 * MINUTE
	},
	check: {
		words: 'Check what its site’s plan expects of it',
		readsOnly: true,
		priority: 40,
		waits: 2 * MINUTE
	},
	/** Of a secret that it was given anew: that the new one is in use and the old one is not. */
	secret: { words: 'Prove its new secret', readsOnly: true, priority: 45, waits: 2 * MINUTE },
	across: {
		words: 'Ask whom it reaches',
		readsOnly: true,
		isPassing: true,
		priority: 5,
		waits: 2 * MINUTE
	},
	/** How it does, in figures. */
	health: { words: 'Ask how it does', readsOnly: true, isPassing: true, priority: 4, waits: 4 * MINUTE },
	ask: { words: 'Ask it what its pack can ask', readsOnly: true, priority: 10, waits: 60 * MINUTE }
} as const satisfies Record<string, Kind>;
export type ErrandKind = keyof typeof ERRAND_KINDS;

/** The kinds that leave no trace in a unit's story. */
export const PASSING_KINDS = (Object.keys(ERRAND_KINDS) as ErrandKind[]).filter(
	(kind) => (ERRAND_KINDS[kind] as Kind).isPassing
);

/** Somebody waits for the answer: before everything that runs by itself. */
export const URGENT = 90;

/**
 * What becomes of an errand whose connection broke while it was under way. What only reads waits for the
 * next connection; what breaks it off is done; what else may have changed something is never done twice unawares.
 */
export function afterBreak(kind: ErrandKind): 'waiting' | 'done' | 'uncertain' {
	const { readsOnly, breaksOff }: Kind = ERRAND_KINDS[kind];
	return readsOnly ? 'waiting' : breaksOff ? 'done' : 'uncertain';
}

const STATE_WORDS: Readonly<Record<ErrandState, string>> = {
	waiting: 'waits for the unit',
	'under way': 'under way',
	done: 'done',
	failed: 'failed',
	cancelled: 'cancelled',
	expired: 'the unit did not come in time',
	uncertain: 'broken off: it may or may not have had effect'
};
export const errandWords = (state: ErrandState): string => STATE_WORDS[state];
