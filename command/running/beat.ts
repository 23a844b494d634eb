import type { ChildProcess } from 'node:child_process';
import { say } from '../problem';

/** So often a program says to the one that started it that it gets to its work. */
const BEAT_MS = 5_000;
/** One that then says nothing for so many beats stands still: whoever asks it waits without an end. */
const MOST_MISSED = 12;

/** Says from now on that this program gets to its work. */
export function beat(): void {
	if (!process.send) return;
	const here = () => process.connected && process.send!('here', undefined, undefined, () => undefined);
	here();
	setInterval(here, BEAT_MS).unref();
}

/**
 * Ends a program that has fallen silent for a minute, so that it is started again. One that never said anything is left
 * alone. Counted in beats of this program's own: where the machine slept, both did.
 */
export function endWhenSilent(name: string, child: Pick<ChildProcess, 'on' | 'once' | 'kill'>): void {
	let missed: number | null = null;
	child.on('message', () => (missed = 0));
	const looking = setInterval(() => {
		if (missed === null || ++missed <= MOST_MISSED) return;
		say(`The ${name} has stood still for ${(MOST_MISSED * BEAT_MS) / 1000} s. It is ended.`);
		child.kill('SIGKILL');
	}, BEAT_MS);
	looking.unref();
	child.once('exit', () => clearInterval(looking));
}
