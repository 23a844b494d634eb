import { subscribe, wasToldWithin } from './hub';
import type { Change } from './notify';

const MOST_TOPICS = 10;
/**
 * Tells which of some topics change, as an address names them with commas between, of what somebody sees; returns how to stop.
 * `behind`: how many milliseconds ago they began to look; what changed since is told at once.
 */
export function tellOf(
	topics: string | null,
	sees: (customerId: string) => boolean,
	send: (event: string, data: unknown) => void,
	behind = 0
): () => void {
	const wanted: ReadonlySet<string> = new Set((topics ?? '').split(',').slice(0, MOST_TOPICS));
	const stop = subscribe(({ topic }) => void (wanted.has(topic) && send('change', topic)), sees);
	if (behind > 0 && wasToldWithin(behind, wanted, sees)) send('change', 'before');
	return stop;
}

/**
 * Server-sent events as a response. `begin` gets a way to send and returns how to stop. The stream is
 * closed at once when `over` says so of a change in people's access.
 */
const HEARTBEAT_MS = 25_000;
/** A watcher that does not read is let go with so many bytes waiting for it: it comes back and loads anew. */
const MOST_WAITING_BYTES = 4 * 1024 * 1024;

export function eventStream(
	begin: (send: (event: string, data: unknown) => void) => () => void,
	over: (change: Change) => boolean
): Response {
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
						return controller.error(new Error('This watcher does not read.'));
					}
					controller.enqueue(encoder.encode(text));
				};
				stop = () => undefined;
				write('retry: 1000\n\n');
				stop = begin((event, data) => write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
				const watched = stop;
				const unwatch = subscribe(
					(change) => {
						if (change.topic !== 'access' || !over(change) || stop === undefined) return;
						end();
						controller.close();
					},
					() => false
				);
				stop = () => {
					watched();
					unwatch();
				};
				heartbeat = setInterval(() => write(': here\n\n'), HEARTBEAT_MS);
			},
			cancel: end
		},
		new ByteLengthQueuingStrategy({ highWaterMark: MOST_WAITING_BYTES })
	);
	return new Response(body, {
		headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' }
	});
}
