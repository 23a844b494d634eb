/** Whether what is on screen is kept up to date. Lost is shown; it mends itself. */
class Connection {
	lost = $state(false);
	/** So many pages or their data are asked for again and again, as nobody answers. */
	waiting = $state(0);
}
export const connection = new Connection();

/** A tab behind another keeps its stream for so long: a browser has six connections to a server for all its tabs. */
const BEHIND_MS = 3_000;
/** After so long it is tried again: not all who were lost in one moment come back in one. */
const AGAIN_MS = 1_000;
/** A stream is answered at once, or not at all. */
const UNANSWERED_MS = 20_000;

/**
 * Listens to a stream of server-sent events until the returned function is called, as long as somebody can see the page. After
 * a connection was lost and mended, or the page was behind others, `onMended` is called: something may have been missed.
 * `onFirst` is called when it is there for the first time, with how many milliseconds that took: what happened since the page
 * was made was not told, unless the address asks for it.
 */
export function listen(
	url: (isFirst: boolean) => string,
	handlers: Record<string, (data: unknown) => void>,
	onMended: () => void,
	onFirst: (took: number) => void
): () => void {
	let source: EventSource | undefined;
	let later: ReturnType<typeof setTimeout> | undefined;
	let wasLost = false;
	let isFirst = true;
	const open = () => {
		const begun = performance.now();
		source = new EventSource(url(isFirst));
		const tryAgain = () => {
			source?.close();
			wasLost = true;
			connection.lost = true;
			later = setTimeout(open, AGAIN_MS + Math.random() * AGAIN_MS);
		};
		// A process that ends as it is asked may leave the question without an answer or an end
		later = setTimeout(tryAgain, UNANSWERED_MS);
		source.onopen = () => {
			clearTimeout(later);
			connection.lost = false;
			if (wasLost) onMended();
			else if (isFirst) onFirst(performance.now() - begun);
			wasLost = isFirst = false;
		};
		source.onerror = () => {
			clearTimeout(later);
			tryAgain();
		};
		for (const [name, handle] of Object.entries(handlers))
			source.addEventListener(name, (event) => handle(JSON.parse((event as MessageEvent<string>).data)));
	};
	const close = () => {
		clearTimeout(later);
		source?.close();
		source = undefined;
		connection.lost = false;
	};
	const look = () => {
		clearTimeout(later);
		if (document.visibilityState === 'visible') {
			if (source?.readyState === EventSource.OPEN) return;
			source?.close();
			open();
		} else if (source)
			later = setTimeout(() => {
				wasLost = !isFirst;
				close();
			}, BEHIND_MS);
	};
	document.addEventListener('visibilitychange', look);
	look();
	return () => {
		document.removeEventListener('visibilitychange', look);
		close();
	};
}
