import { createHash } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import { hexString } from '../../src/core/bootstrap';

/** How a download goes on the unit's side, as far as a unit can tell. */
export interface Download {
	readonly uri: string;
	/** How many octets its flash takes. */
	readonly room: number;
	/** Arrives damaged. */
	readonly damaged: boolean;
	readonly signal: AbortSignal;
	readonly onPart?: (bytes: number, of: number | null) => void;
}

/** A download that ended in words. */
class NotFetched extends Error {}
const TRIES = 5;
/** Before a broken download goes on. */
const REST_MS = 200;

/** The image's hash, as in RFC 8572; where it breaks off it goes on from there (RFC 9110, section 14). */
export async function download({ uri, room, damaged, signal, onPart }: Download): Promise<string> {
	const hash = createHash('sha256');
	let [bytes, size, tag] = [0, null as number | null, null as string | null];
	for (let left = TRIES; ; left--) {
		try {
			const response = await fetch(uri, {
				signal,
				headers: bytes > 0 && tag ? { range: `bytes=${bytes}-`, 'if-range': tag } : {}
			});
			if (!response.ok || !response.body) throw new NotFetched(`download failed: HTTP ${response.status}`);
			if (bytes > 0 && response.status !== 206)
				throw new NotFetched('download failed: the image is another one now');
			tag = response.headers.get('etag');
			size ??= Number(response.headers.get('content-length')) || null;
			for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
				bytes += chunk.length;
				if (bytes > room) throw new NotFetched('not enough space in flash');
				hash.update(chunk);
				onPart?.(bytes, size);
			}
			break;
		} catch (error) {
			signal.throwIfAborted();
			if (error instanceof NotFetched) throw error;
			if (left === 0) throw new NotFetched(`download failed: ${(error as Error).message}`);
			await sleep(REST_MS, undefined, { signal });
		}
	}
	if (damaged) hash.update('damaged on the way');
	return hexString(hash.digest());
}

/** What somebody at its command line is told of the image that it fetches. */
export type Fetched =
	| { readonly state: 'none' }
	| { readonly state: 'fetching'; readonly version: string; readonly percent: number }
	| { readonly state: 'ready'; readonly version: string }
	| { readonly state: 'failed'; readonly version: string; readonly words: string };

/** The image beside the one that runs: fetched while nothing changes, gone with its power. */
export class Images {
	fetched: Fetched = { state: 'none' };
	#ends = new AbortController();

	constructor(
		private readonly unit: {
			/** Why a release cannot be installed over what runs; null when it can. */
			readonly problem: (version: string) => string | null;
			readonly room: () => number;
			readonly damaged: () => boolean;
			readonly say: (words: string) => void;
			readonly install: (version: string) => void;
		}
	) {}

	/** Begins to fetch; why not, or null. `hash`: SHA-256 in hexadecimal, without anything between. */
	fetch(uri: string, version: string, hash: string): string | null {
		const problem = this.unit.problem(version);
		if (problem !== null) return problem;
		this.forget();
		const ends = (this.#ends = new AbortController());
		this.fetched = { state: 'fetching', version, percent: 0 };
		this.unit.say(`fetching ${version}`);
		download({
			uri,
			room: this.unit.room(),
			damaged: this.unit.damaged(),
			signal: ends.signal,
			onPart: (bytes, of) =>
				(this.fetched = {
					state: 'fetching',
					version,
					percent: of ? Math.min(99, Math.floor((bytes / of) * 100)) : 0
				})
		}).then(
			(got) => {
				const isRight = got.replaceAll(':', '') === hash.toLowerCase();
				this.fetched = isRight
					? { state: 'ready', version }
					: { state: 'failed', version, words: 'the image is damaged: its hash is another one' };
				this.unit.say(isRight ? `${version} is fetched` : `${version} arrived damaged`);
			},
			(error: Error) => {
				if (ends.signal.aborted) return;
				this.fetched = { state: 'failed', version, words: error.message };
				this.unit.say(`${version} could not be fetched: ${error.message}`);
			}
		);
		return null;
	}

	/** Installs what was fetched; why not, or null. */
	install(): string | null {
		if (this.fetched.state !== 'ready') return 'no image was fetched';
		const { version } = this.fetched;
		this.forget();
		this.unit.install(version);
		return null;
	}

	forget(): null {
		this.#ends.abort();
		this.fetched = { state: 'none' };
		return null;
	}
}

/** Of a device that fetches none. */
export const NO_IMAGES = new Images({
	problem: () => 'no image can be fetched',
	room: () => 0,
	damaged: () => false,
	say: () => undefined,
	install: () => undefined
});
