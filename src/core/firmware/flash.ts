/**
 * A flash: a unit that is online is brought to another firmware, over each step of its path. The image is fetched while
 * nothing changes; once it lies there whole the unit installs it and restarts, and only over a new connection is read
 * what it runs. `afterFlash` is the only thing that moves a flash; what is about to be said is recorded before it is
 * said, so that after a kill it is looked at and never begun twice.
 */
export type FlashState =
	'waiting' | 'fetching' | 'installing' | 'done' | 'gone back' | 'refused' | 'differs' | 'let go';
/** Which state may follow which; the database holds to the same. */
export const FLASH_MOVES: Readonly<Record<FlashState, readonly FlashState[]>> = {
	waiting: ['fetching', 'done', 'refused', 'let go'],
	fetching: ['installing', 'refused', 'let go'],
	installing: ['waiting', 'done', 'gone back', 'refused', 'differs', 'let go'],
	done: [],
	'gone back': [],
	refused: [],
	differs: [],
	'let go': []
};
export const flashHasEnded = (state: FlashState): boolean => FLASH_MOVES[state].length === 0;

export interface Flash {
	readonly state: FlashState;
	/** What it ran when it was taken up. */
	readonly from: string;
	/** The versions that it is brought to, one after the other. */
	readonly path: readonly string[];
	/** Which of them it is being brought to. */
	readonly at: number;
	/** When the last step was about to be said, in milliseconds since the epoch. */
	readonly saidAt: number | null;
	readonly refusal: string | null;
}
export const newFlash = (from: string, path: readonly string[]): Flash => ({
	state: 'waiting',
	from,
	path,
	at: 0,
	saidAt: null,
	refusal: null
});

export type FlashEvent =
	/** `anew`: over another connection than the one over which it was told to install; `at`: when it was asked. */
	| { readonly kind: 'runs'; readonly version: string; readonly anew: boolean; readonly at: number }
	/** Recorded before the unit is told to fetch. */
	| { readonly kind: 'fetch said'; readonly at: number }
	/** Nothing has changed, and nothing will. */
	| { readonly kind: 'given up'; readonly words: string }
	/** Recorded before the first word that can have effect. */
	| { readonly kind: 'install said'; readonly at: number }
	| { readonly kind: 'install refused'; readonly words: string }
	/** The unit was taken from its position; nobody looks any more. */
	| { readonly kind: 'let go' };

const CHANGED_MEANWHILE = 'It runs another version now than when this was planned.';

/** The version that a step begins with. */
const stepFrom = ({ from, path, at }: Flash): string => path[at - 1] ?? from;
export const targetOf = ({ path }: Flash): string => path.at(-1)!;

/**
 * The flash after an event; an event that does not fit its state changes nothing. `settles`: for so many milliseconds
 * after it was told to install a unit may still be writing, so that what it ran before, seen until then, means nothing.
 */
export function afterFlash(flash: Flash, event: FlashEvent, settles: number): Flash {
	const { state, path, at } = flash;
	switch (event.kind) {
		case 'runs': {
			if (state !== 'waiting' && !(state === 'installing' && event.anew)) return flash;
			const reached = path.indexOf(event.version, at);
			if (reached === path.length - 1) return { ...flash, state: 'done', at: reached };
			if (reached >= 0) return { ...flash, state: 'waiting', at: reached + 1, saidAt: null };
			if (event.version === stepFrom(flash))
				return state === 'waiting' || event.at < flash.saidAt! + settles
					? flash
					: { ...flash, state: 'gone back' };
			return state === 'waiting'
				? { ...flash, state: 'refused', refusal: CHANGED_MEANWHILE }
				: { ...flash, state: 'differs' };
		}
		case 'fetch said':
			return state === 'waiting' ? { ...flash, state: 'fetching', saidAt: event.at } : flash;
		case 'given up':
			return state === 'waiting' || state === 'fetching'
				? { ...flash, state: 'refused', refusal: event.words }
				: flash;
		case 'install said':
			return state === 'fetching' ? { ...flash, state: 'installing', saidAt: event.at } : flash;
		case 'install refused':
			return state === 'installing' ? { ...flash, state: 'refused', refusal: event.words } : flash;
		case 'let go':
			return flashHasEnded(state) ? flash : { ...flash, state: 'let go' };
	}
}

/** A unit that has not come back so long after it was told to install is said to be away; in milliseconds. */
export const AWAY_AFTER_MS = 15 * 60_000;
export const isAway = ({ state, saidAt }: Flash, now: number): boolean =>
	state === 'installing' && saidAt !== null && now - saidAt > AWAY_AFTER_MS;

const STATE_WORDS: Readonly<Record<FlashState, readonly [title: string, sentence: string]>> = {
	waiting: ['waits', 'Waits for the unit.'],
	fetching: ['fetches', 'The unit fetches the image; nothing has changed yet.'],
	installing: ['installs', 'The unit installs it and restarts; it has to come back with it.'],
	done: ['done', 'The unit came back with the version that was wanted.'],
	'gone back': ['gone back', 'The unit came back with the version that it ran before.'],
	refused: ['not changed', 'Nothing was changed.'],
	differs: ['differs', 'The unit came back with neither the version that was wanted nor the one before.'],
	'let go': ['let go', 'The unit was taken from its position before it was known how this ended.']
};
/** A state in a word or two, and in a sentence. */
export const flashTitle = (state: FlashState): string => STATE_WORDS[state][0];
export const flashWords = (state: FlashState): string => STATE_WORDS[state][1];
