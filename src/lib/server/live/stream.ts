/** Server-sent events as a response. `begin` gets a way to send and returns how to stop. */
const HEARTBEAT_MS = 25_000;
/** A watcher that does not read is let go: it comes back and loads anew. */
const MOST_WAITING = 400;

export function eventStream(begin: (send: (event: string, data: unknown) => void) => () => void): Response {
	const encoder = new TextEncoder();
	let stop: (() => void) | undefined;
	let heartbeat: NodeJS.Timeout | undefined;
	const end = () => {
		clearInterval(heartbeat);
		stop?.();
		stop = undefined;
	};
	const body = new ReadableStream<Uint8Array>(
		{
			start(controller) {
				const write = (text: string) => {
					if (stop === undefined) return;
					if ((controller.desiredSize ?? 0) <= 0) {
						end();
						return controller.close();
					}
					controller.enqueue(encoder.encode(text));
				};
				stop = () => undefined;
				write('retry: 1000\n\n');
				stop = begin((event, data) => write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
				heartbeat = setInterval(() => write(': here\n\n'), HEARTBEAT_MS);
			},
			cancel: end
		},
		{ highWaterMark: MOST_WAITING }
	);
	return new Response(body, {
		headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' }
	});
}
