import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Settings } from '../../src/lib/server/settings';
import { Problem } from '../problem';

const path = (settings: Settings) => join(settings.LIMEN_STATE_DIR, 'lock');

/** One start command per state directory. A lock whose process is gone is stale and taken over: whether it was so. */
export function takeLock(settings: Settings): boolean {
	mkdirSync(settings.LIMEN_STATE_DIR, { recursive: true });
	for (let wasStale = false; ; wasStale = true) {
		try {
			writeFileSync(path(settings), String(process.pid), { flag: 'wx' });
			process.on('exit', () => releaseLock(settings));
			return wasStale;
		} catch (error) {
			if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
				throw new Problem('The disk is full: nothing can be written to the state directory.');
			if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
		}
		const owner = lockOwner(settings);
		if (owner !== null)
			throw new Problem(`Limen already runs here (process ${owner}). Stop it with ./limen stop.`);
		rmSync(path(settings), { force: true });
	}
}

export function releaseLock(settings: Settings): void {
	if (readLock(settings) === process.pid) rmSync(path(settings), { force: true });
}

/** The living process that holds the lock; null when there is none. */
export function lockOwner(settings: Settings): number | null {
	const owner = readLock(settings);
	if (owner === null) return null;
	try {
		// A process number can have been given to somebody else: ours runs this very command
		return readFileSync(`/proc/${owner}/cmdline`, 'utf8').includes('command/main.ts') ? owner : null;
	} catch {
		return null;
	}
}

function readLock(settings: Settings): number | null {
	try {
		return Number(readFileSync(path(settings), 'utf8')) || null;
	} catch {
		return null;
	}
}
