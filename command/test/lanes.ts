import { spawn, type ChildProcess } from 'node:child_process';
import { setPriority } from 'node:os';

/** One thing to run beside others. */
export type Task = () => Promise<void>;

/** Waits for all, also when one of them breaks, so that nothing goes on behind its back. */
async function together(lanes: readonly (Promise<unknown> | null)[]): Promise<void> {
	const ended = await Promise.allSettled(lanes);
	const broken = ended.find((one) => one.status === 'rejected');
	if (broken) throw broken.reason;
}

/** Every lane takes what is next, so that none stands idle while another has a long row before it. */
export async function inLanes(tasks: readonly Task[], lanes: number): Promise<void> {
	const left = [...tasks];
	const lane = async () => {
		for (let task = left.shift(); task; task = left.shift()) await task();
	};
	await together(Array.from({ length: lanes }, lane));
}

/** How long something took, to be said behind it. */
export function stopwatch(): () => string {
	const from = Date.now();
	return () => ` in ${Math.round((Date.now() - from) / 1000)} s`;
}

/** What runs now: it ends with this command, whatever ends that. */
const running = new Set<ChildProcess>();
/** Nothing begins any more: a lane whose part was ended would take its next one. */
let isEnding = false;
export function run(
	command: readonly string[],
	environment: Record<string, string>,
	priority = 0
): Promise<number> {
	if (isEnding) return Promise.resolve(1);
	const child = spawn(command[0]!, command.slice(1), {
		stdio: ['ignore', 'inherit', 'inherit'],
		env: { ...process.env, ...environment },
		// A group of its own, so that what it starts can be ended with it
		detached: true
	});
	running.add(child);
	setPriority(child.pid!, priority);
	return new Promise((resolvePromise) =>
		child.once('exit', (code) => {
			running.delete(child);
			resolvePromise(code ?? 1);
		})
	);
}

export function endRunning(): void {
	isEnding = true;
	for (const { pid } of running)
		try {
			process.kill(-pid!, 'SIGTERM');
		} catch {
			// It has ended by itself
		}
}
