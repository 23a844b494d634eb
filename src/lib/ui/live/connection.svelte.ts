/** Whether what is on screen is kept up to date. Lost is shown; the browser mends it by itself. */
class Connection {
	lost = $state(false);
}
export const connection = new Connection();

/**
 * Listens to a stream of server-sent events until the returned function is called. After a connection
 * was lost and mended, `onMended` is called: something may have been missed. `onFirst` is called when it
 * is there for the first time: what happened since the page was made was not told.
 */
export function listen(
	url: string,
	handlers: Record<string, (data: unknown) => void>,
	onMended: () => void,
	onFirst: () => void = () => undefined
): () => void {
	let source: EventSource | undefined;
	let retry: ReturnType<typeof setTimeout> | undefined;
	let wasLost = false;
	let isFirst = true;
	const open = () => {
		source = new EventSource(url);
		source.onopen = () => {
			connection.lost = false;
			if (wasLost) onMended();
			else if (isFirst) onFirst();
			wasLost = isFirst = false;
		};
		source.onerror = () => {
			wasLost = true;
			connection.lost = true;
			// The browser tries again by itself unless the server refused outright
			if (source?.readyState === EventSource.CLOSED) retry = setTimeout(open, 2000);
		};
		for (const [name, handle] of Object.entries(handlers))
			source.addEventListener(name, (event) => handle(JSON.parse((event as MessageEvent<string>).data)));
	};
	open();
	return () => {
		clearTimeout(retry);
		source?.close();
		connection.lost = false;
	};
}
