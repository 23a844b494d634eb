import type { Browser, Page } from '@playwright/test';
import type { Figure } from './world';

const LONGEST_TASK_MS = 50;
/** A figure about how fluent a page is. */
export const fluency = (name: string, longest: number): Figure => ({
	name,
	measured: `${longest.toFixed(0)} ms`,
	baseline: '',
	result: `${longest.toFixed(0)} ms`,
	wanted: `none over ${LONGEST_TASK_MS} ms`,
	held: longest <= LONGEST_TASK_MS
});

interface TraceEvent {
	readonly name: string;
	readonly pid: number;
	readonly tid: number;
	/** Time that the thread itself ran, in microseconds: waiting for a busy machine is not counted. */
	readonly tdur?: number;
	readonly args?: { readonly name?: string };
}

/** The longest task of a page's own thread during some work, in milliseconds, from Chromium's own trace. */
export async function longestTask(
	browser: Browser,
	page: Page,
	work: () => Promise<unknown>
): Promise<number> {
	await browser.startTracing(page, { categories: ['toplevel'] });
	await work();
	const { traceEvents } = JSON.parse((await browser.stopTracing()).toString('utf8')) as {
		traceEvents: TraceEvent[];
	};
	return longestIn(traceEvents);
}

function longestIn(traceEvents: readonly TraceEvent[]): number {
	const threadOf = ({ pid, tid }: TraceEvent) => `${pid} ${tid}`;
	const pages = new Set(
		traceEvents
			.filter(({ name, args }) => name === 'thread_name' && args?.name === 'CrRendererMain')
			.map(threadOf)
	);
	const tasks = traceEvents.filter(
		(event) => /(^|::)RunTask$/.test(event.name) && event.tdur !== undefined && pages.has(threadOf(event))
	);
	if (tasks.length === 0) throw new Error('The trace holds no task of the page.');
	return Math.max(...tasks.map(({ tdur }) => tdur! / 1000));
}

interface FrameEvent extends TraceEvent {
	/** Microseconds. */
	readonly ts: number;
}
const SECOND = 1_000_000;

/**
 * The fewest frames that were drawn in any second of some work, and the longest task of the page's own
 * thread meanwhile, from Chromium's own trace. The last second counts only when it is whole.
 */
export async function fewestFrames(
	browser: Browser,
	page: Page,
	work: () => Promise<unknown>
): Promise<readonly [frames: number, longest: number]> {
	await browser.startTracing(page, {
		categories: ['toplevel', 'devtools.timeline.frame', 'disabled-by-default-devtools.timeline.frame']
	});
	await work();
	const trace = (await browser.stopTracing()).toString('utf8');
	const { traceEvents } = JSON.parse(trace) as { traceEvents: FrameEvent[] };
	const drawn = traceEvents
		.filter(({ name }) => name === 'DrawFrame')
		.map(({ ts }) => ts)
		.sort((a, b) => a - b);
	const [first] = drawn;
	if (first === undefined) throw new Error('The trace holds no frame.');
	const seconds = Math.floor((drawn.at(-1)! - first) / SECOND);
	const counts = new Array<number>(seconds).fill(0);
	for (const at of drawn) {
		const second = Math.floor((at - first) / SECOND);
		if (second < seconds) counts[second]!++;
	}
	return [Math.min(...counts), longestIn(traceEvents)];
}
