import { parentPort } from 'node:worker_threads';
import { TASKS, type Answered, type Asked } from './tasks';

/** One thread beside the main one: works what it is sent, one after the other. */
parentPort!.on('message', ({ id, task, input }: Asked) => {
	let answer: Answered;
	try {
		answer = { id, ok: true, output: (TASKS[task] as (input: unknown) => unknown)(input) };
	} catch (error) {
		answer = { id, ok: false, message: (error as Error).message };
	}
	parentPort!.postMessage(answer);
});
