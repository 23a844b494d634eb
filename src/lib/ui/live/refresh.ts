import { invalidate, invalidateAll } from '$app/navigation';
import { navigating } from '$app/state';
import { listen } from './connection.svelte';

/** The navigation that nothing waits for any more: it is over, or was called off. */
let over: Promise<void> | null = null;
/** What is begun now goes before the navigation that is under way, and may call it off. */
export function goFirst(): void {
	over = navigating.complete;
}

/**
 * Loads a page's data again, that of one key or all of it. Waits while somebody is on the way to another page:
 * loading again would call that navigation off. A navigation that was called off stays in `navigating` for good, so
 * what is known to be over is waited for no more.
 */
export async function loadAnew(key?: string): Promise<void> {
	for (let way = navigating.complete; way && way !== over; way = navigating.complete) {
		await way.catch(() => undefined);
		over = way;
	}
	await (key === undefined ? invalidateAll() : invalidate(key));
}

/** Forms that wait for their answer. */
const unanswered = new Set<Promise<void>>();
/**
 * Changes wait until a form has its answer: loading again may take the form away, and with it what is said once, as a secret
 * is. Gives what is to be called once the answer was shown.
 */
export function untilAnswered(): () => void {
	let answered!: () => void;
	const wait = new Promise<void>((resolve) => (answered = resolve));
	unanswered.add(wait);
	return () => {
		unanswered.delete(wait);
		answered();
	};
}

/** When the page that is shown was asked for; the first one with the document itself. */
let askedFor = 0;
export const pageAskedFor = (): void => void (askedFor = performance.now());

interface Loading {
	readonly key?: string;
	/** So many milliseconds pass between one load and the next, where changes come in floods and each load costs something. */
	readonly rest?: number;
}

interface Refresher {
	readonly refresh: () => void;
	readonly stop: () => void;
}

/** Loads a page's data again each time it is told to; what it is told while it loads is one load more. */
export function refresher({ key = 'limen:live', rest = 0 }: Loading = {}): Refresher {
	return oneByOne(async (isStopped) => {
		await Promise.all(unanswered);
		if (isStopped()) return;
		await loadAnew(key);
		if (rest > 0) await pause(rest);
	});
}

/** Not all who failed in one moment try again in one. */
const AGAIN_MS = 1_000;

/** Works each time it is told to, once at a time; what it is told meanwhile is once more, and so is what fails. */
export function oneByOne(work: (isStopped: () => boolean) => Promise<void>): Refresher {
	let working = false;
	let again = false;
	let stopped = false;
	const load = async () => {
		again = true;
		if (working) return;
		working = true;
		while (again && !stopped) {
			again = false;
			await work(() => stopped).catch(async () => {
				again = true;
				await pause(AGAIN_MS + Math.random() * AGAIN_MS);
			});
		}
		working = false;
	};
	return { refresh: () => void load(), stop: () => void (stopped = true) };
}
const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

/** So long the question for a stream may be on its way, while the page grows older than it says. */
const ON_ITS_WAY_MS = 2_000;

/** Loads a page's data again whenever one of the topics changes, or has changed since the page was asked for. */
export function refreshOn(topics: readonly string[], loading: Loading = {}): () => void {
	const { refresh, stop } = refresher(loading);
	const age = () => Math.ceil(performance.now() - askedFor);
	const deafen = listen(
		(isFirst) => `/live?topics=${topics.join(',')}${isFirst ? `&behind=${age() + ON_ITS_WAY_MS}` : ''}`,
		{ change: refresh },
		refresh,
		(took) => took > ON_ITS_WAY_MS && refresh()
	);
	return () => {
		stop();
		deafen();
	};
}
