import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

const REST_MS = 200;

/** What a stand-in still knows when it is started again: one JSON document, written whole soon after something changed. */
export class KeptFile<Kept> {
	#pending: NodeJS.Timeout | undefined;

	constructor(
		private readonly path: string,
		private readonly now: () => Kept
	) {}

	/** As it was left; null when nothing was, or nothing whole. */
	read(): Kept | null {
		try {
			return JSON.parse(readFileSync(this.path, 'utf8')) as Kept;
		} catch {
			return null;
		}
	}

	changed(): void {
		this.#pending ??= setTimeout(() => this.keep(), REST_MS);
	}

	/** At once: a stand-in that ends, or that must not forget what it has just answered. */
	keep(): void {
		clearTimeout(this.#pending);
		this.#pending = undefined;
		mkdirSync(dirname(this.path), { recursive: true });
		writeFileSync(`${this.path}.new`, JSON.stringify(this.now()), { mode: 0o600 });
		renameSync(`${this.path}.new`, this.path);
	}
}
