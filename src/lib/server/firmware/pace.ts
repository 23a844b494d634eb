import { setTimeout as sleep } from 'node:timers/promises';
import { Readable } from 'node:stream';

/** How far what goes the same way has been paid for: each waits until those before it have had their time. */
export class Pace {
	#paidUntil = 0;

	/** Takes so many octets at a rate (octets a second); in milliseconds, how long they have to wait. */
	take(bytes: number, rate: number, now: number): number {
		const begins = Math.max(now, this.#paidUntil);
		this.#paidUntil = begins + (bytes / rate) * 1000;
		return begins - now;
	}
}

export interface PaceLimit {
	readonly pace: Pace;
	/** In octets a second. */
	readonly rate: number;
}

/** A stream at the pace of all its limits; `onEnd` is called once, however it ends. */
export const paced = (source: Readable, limits: readonly PaceLimit[], onEnd: () => void): Readable =>
	Readable.from(
		(async function* () {
			try {
				for await (const chunk of source as AsyncIterable<Buffer>) {
					const now = performance.now();
					const wait = Math.max(0, ...limits.map(({ pace, rate }) => pace.take(chunk.length, rate, now)));
					if (wait > 0) await sleep(wait);
					yield chunk;
				}
			} finally {
				source.destroy();
				onEnd();
			}
		})(),
		{ objectMode: false }
	);
