import { connection } from './connection.svelte';

/** The application is away, or its database is: it says so itself, or what stands before it does. */
const AWAY: ReadonlySet<number> = new Set([502, 503, 504]);
/** The first time it is asked again soon, then ever later, up to what the answer says; not all who wait ask in the same moment. */
const AGAIN_MS = 1_000;
const LATER = 1.5;
const LATEST_MS = 5_000;
/** Whatever an answer says: nobody waits for longer than this for what is there again. */
const MOST_SAID_MS = 60_000;
const SPREAD_MS = 1_000;
/** Somebody who clicked waits for so long; then they are told that there is no answer. */
const LONGEST_MS = 15_000;
/** Whoever says nothing for so long says nothing any more. */
const SILENT_MS = 60_000;

const isPageData = (url: URL): boolean => /(^|\/)__data\.json$/.test(url.pathname);
/** Whether it is the page that is shown. */
const isShown = (url: URL): boolean =>
	url.pathname.replace(/\/?__data\.json$/, '') === location.pathname.replace(/\/$/, '');

/** Whoever presses for longer than this does something else than click. */
const LONGEST_PRESS_MS = 10_000;

/** Gives what resolves once nothing on the page is pressed, with the click that a release makes. */
function watchPresses(): () => Promise<void> {
	let release = () => {};
	let released = Promise.resolve();
	const end = () => void setTimeout(release);
	const on = (type: string, hear: () => void) =>
		document.addEventListener(type, hear, { capture: true, passive: true });
	on('pointerdown', () => {
		release();
		released = new Promise((resolve) => {
			release = resolve;
			setTimeout(resolve, LONGEST_PRESS_MS);
		});
	});
	on('pointerup', end);
	on('pointercancel', end);
	return () => released;
}

/**
 * A page that is open outlives an outage, with what is typed into it: its data is asked for again until somebody answers, where
 * a failed answer would put an error page in its place. Another page is waited for a while only. Everything else, acts above
 * all, goes once; and so does all where the browser itself knows that there is no network. New data of the page that is shown
 * waits while something is pressed: what is moved away between a press and its release gets no click.
 */
export function patient(asked: typeof fetch): typeof fetch {
	const released = watchPresses();
	return async (input, init) => {
		const url = new URL(input instanceof Request ? input.url : input, location.href);
		if (url.origin !== location.origin || !isPageData(url)) return asked(input, init);
		const until = performance.now() + LONGEST_MS;
		let isWaiting = false;
		try {
			for (let again = AGAIN_MS; ;) {
				const isOver = performance.now() > until;
				const answer = await answeredInTime(asked, input, init).catch((error: unknown) => ({ error }));
				const isLastTry = !navigator.onLine || (!isShown(url) && isOver);
				if (answer instanceof Response) {
					if (isLastTry || !AWAY.has(answer.status)) {
						if (isShown(url)) await released();
						return answer;
					}
				} else if (isLastTry) throw answer.error;
				if (!isWaiting) connection.waiting++;
				isWaiting = true;
				await new Promise((resolve) => setTimeout(resolve, again + Math.random() * SPREAD_MS));
				const said = answer instanceof Response ? Number(answer.headers.get('retry-after')) * 1000 : 0;
				again = Math.min(again * LATER, said > 0 ? said : LATEST_MS, MOST_SAID_MS);
			}
		} finally {
			if (isWaiting) connection.waiting--;
		}
	};
}

/**
 * A whole answer. Rejects where nobody begins to give it, or goes on with it: a process that ends or stands still may leave a
 * question without an end. Rejects, too, where it breaks off, as it does when the process ends while it speaks.
 */
async function answeredInTime(
	...[asked, input, init]: [typeof fetch, ...Parameters<typeof fetch>]
): Promise<Response> {
	const given = new AbortController();
	let silence: ReturnType<typeof setTimeout> | undefined;
	const heard = () => {
		clearTimeout(silence);
		silence = setTimeout(() => given.abort(), SILENT_MS);
	};
	heard();
	try {
		const { status, statusText, headers, body } = await asked(input, { ...init, signal: given.signal });
		const listened = new TransformStream<Uint8Array, Uint8Array>({
			transform: (part, whole) => {
				heard();
				whole.enqueue(part);
			}
		});
		const read = body && (await new Response(body.pipeThrough(listened)).blob());
		return new Response(read, { status, statusText, headers });
	} finally {
		clearTimeout(silence);
	}
}
