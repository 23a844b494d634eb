import { BOOTSTRAP, runAs } from '../database';
import { subscribe } from '../live';
import { log } from '../log';
import { onBeat } from './process';

/** Work that is gone on with in turns. */
export interface Turns {
	/** Nothing more is begun; resolves when the turn under way is over. */
	readonly stop: () => Promise<void>;
}

/**
 * Takes turns at work beside the heartbeat, which much to do would hold up: with each beat, and as soon as a topic is told
 * of. One at a time in each process; what is told meanwhile is looked at after. `isStopping`: whether to end early.
 */
export function takeTurns(
	name: string,
	topic: string,
	turn: (isStopping: () => boolean) => Promise<void>
): Turns {
	let under: Promise<void> | null = null;
	let [again, stopping] = [false, false];
	const take = (): void => {
		if (stopping) return;
		again = true;
		under ??= runAs(BOOTSTRAP, async () => {
			while (again && !stopping) {
				again = false;
				await turn(() => stopping);
			}
		})
			.catch((error: Error) => log.error({ error: error.stack }, `${name} could not go on`))
			.finally(() => (under = null));
	};
	const unsubscribe = subscribe(
		(told) => void (told.topic === topic && take()),
		() => true
	);
	onBeat(async () => take());
	return {
		stop: async () => {
			stopping = true;
			unsubscribe();
			await under;
		}
	};
}
