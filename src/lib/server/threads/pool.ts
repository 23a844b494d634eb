import { resolve } from 'node:path';
import { Worker } from 'node:worker_threads';
import { log } from '../log';
import { READY, type Answered, type Asked, type Task } from './messages';

/**
 * Threads for what must not hold up everybody else. A piece of work that takes longer than its deadline or
 * more memory than a thread has is given up, with its thread; what waits behind it goes on in a new one.
 */
const THREADS = 2;
const MEMORY_MB = 384;
const DEADLINE_MS = 10_000;
/** Work that may take longer than this has one more thread, for itself alone: nobody's page waits behind it. */
const LONG_MS = 60_000;
/** A thread reads its whole program first, which takes its time on a busy machine and is no fault of the work. */
const START_MS = 60_000;
/** More than this waiting, and nobody would wait for their turn. */
const MOST_WAITING = 100;

/** Work was given up: it took too long, needed too much memory, or too much waits already. */
export class GivenUp extends Error {}

interface Job {
	readonly asked: Asked;
	readonly deadlineMs: number;
	readonly resolve: (output: unknown) => void;
	readonly reject: (error: Error) => void;
}

/** Threads that take their work from one queue. */
interface Pool {
	readonly threads: number;
	readonly waiting: Job[];
	readonly idle: Worker[];
	started: number;
}
const poolOf = (threads: number): Pool => ({ threads, waiting: [], idle: [], started: 0 });
const SHORT = poolOf(THREADS);
const LONG = poolOf(1);
let nextId = 1;

/** Works a task off the main thread. Rejects with `GivenUp` past its deadline (10 s unless said otherwise). */
export function offMainThread<Input, Output>(
	{ name }: Task<Input, Output>,
	input: Input,
	deadlineMs = DEADLINE_MS
): Promise<Output> {
	const pool = deadlineMs > LONG_MS ? LONG : SHORT;
	if (pool.waiting.length >= MOST_WAITING)
		return Promise.reject(new GivenUp('Too much is being worked on at this moment.'));
	return new Promise<unknown>((resolve, reject) => {
		pool.waiting.push({ asked: { id: nextId++, name, input }, deadlineMs, resolve, reject });
		work(pool);
	}) as Promise<Output>;
}

function work(pool: Pool): void {
	while (pool.waiting.length > 0 && (pool.idle.length > 0 || pool.started < pool.threads))
		run(pool, pool.idle.pop() ?? begin(pool), pool.waiting.shift()!);
}

/** Threads that have read their program. */
const ready = new WeakSet<Worker>();
/** The thread's program, built beside the application's (command/build). */
const PROGRAM = 'build/worker.js';

function begin(pool: Pool): Worker {
	pool.started++;
	const worker = new Worker(resolve(process.env.LIMEN_WORKER ?? PROGRAM), {
		resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB }
	});
	worker.unref();
	worker.once('exit', () => {
		pool.started--;
		const at = pool.idle.indexOf(worker);
		if (at >= 0) pool.idle.splice(at, 1);
		work(pool);
	});
	worker.on('error', (error) => log.warn({ error: error.message }, 'a thread ended early'));
	return worker;
}

function run(pool: Pool, worker: Worker, job: Job): void {
	const settle = (act: () => void) => {
		clearTimeout(deadline);
		worker.off('message', hear).off('error', fail).off('exit', gone);
		act();
	};
	const hear = (answer: Answered | typeof READY) => {
		if (answer === READY) {
			ready.add(worker);
			clearTimeout(deadline);
			deadline = setTimeout(late, job.deadlineMs);
			return;
		}
		settle(() => {
			worker.unref();
			pool.idle.push(worker);
			if (answer.ok) job.resolve(answer.output);
			else job.reject(new Error(answer.message));
			work(pool);
		});
	};
	const giveUp = (words: string) =>
		settle(() => {
			void worker.terminate();
			job.reject(new GivenUp(words));
		});
	const fail = (error: Error) => giveUp(`It could not be worked: ${error.message}`);
	const gone = () => giveUp('The thread that worked on it ended.');
	const late = () => giveUp('It took too long and was given up.');
	let deadline = setTimeout(late, job.deadlineMs + (ready.has(worker) ? 0 : START_MS));
	worker.ref();
	worker.on('message', hear).on('error', fail).on('exit', gone);
	worker.postMessage(job.asked);
}
