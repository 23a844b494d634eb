import type { ChildProcess } from 'node:child_process';
import { say } from '../problem';

/** So often a program says to the one that started it that it gets to its work. */
const BEAT_MS = 5_000;
/** One that says nothing for so many beats, a minute, stands still: whoever asks it waits without an end. */
const MOST_MISSED = 12;
/** After its first word, while it starts on a machine that has much else to do. */
const MOST_MISSED_AT_START = 36;

/** Says from now on that this program gets to its work; returns what says so at once, for when it has started. */
export function beat(): () => void {
	const here = () => process.connected && process.send!('here', undefined, undefined, () => undefined);
	here();
	setInterval(here, BEAT_MS).unref();
	return here;
}

/**
 * Ends a program that has fallen silent, so that it is started again. One that never said anything is left alone. Counted
 * in beats of this program's own: where the machine slept, both did.
 */
export function endWhenSilent(name: string, child: Pick<ChildProcess, 'on' | 'once' | 'kill'>): void {
	let mayMiss: number | null = null;
	child.on('message', () => (mayMiss = mayMiss === null ? MOST_MISSED_AT_START : MOST_MISSED));
	const looking = setInterval(() => {
		if (mayMiss === null || --mayMiss >= 0) return;
		say(`The ${name} has stood still for over a minute. It is ended.`);
		child.kill('SIGKILL');
	}, BEAT_MS);
	looking.unref();
	child.once('exit', () => clearInterval(looking));
}
