import { rmSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import { setTimeout as sleep } from 'node:timers/promises';
import { currentSettings } from '../../src/lib/server/settings';
import { removeCluster, stopCluster } from '../cluster';
import { lockOwner } from './lock';
import { Problem, say } from '../problem';

const PATIENCE_MS = 30_000;

/** Stops the start command that runs here, and a cluster that was left behind. */
export async function stop(): Promise<void> {
	const settings = currentSettings();
	const owner = lockOwner(settings);
	if (owner !== null) {
		process.kill(owner, 'SIGTERM');
		const until = performance.now() + PATIENCE_MS;
		while (lockOwner(settings) !== null) {
			if (performance.now() > until) throw new Problem(`Process ${owner} does not end; nothing was forced.`);
			await sleep(100);
		}
	}
	const cluster = stopCluster(settings);
	say(owner !== null || cluster ? 'Stopped.' : 'Nothing was running here.');
}

/** Removes everything of this directory's installation, after asking. */
export async function reset(): Promise<void> {
	const settings = currentSettings();
	if (settings.LIMEN_DATABASE_URL)
		throw new Problem('LIMEN_DATABASE_URL names a database that is not ours to remove; drop it yourself.');
	if (!process.argv.includes('--yes')) {
		if (!process.stdin.isTTY)
			throw new Problem(
				'This removes the database, keys and images for good. Say so with: ./limen reset --yes'
			);
		const prompt = createInterface({ input: process.stdin, output: process.stdout });
		const answer = await prompt.question(
			'This removes the database, keys and images for good. Type "reset" to go on: '
		);
		prompt.close();
		if (answer.trim() !== 'reset') return say('Nothing was removed.');
	}
	await stop();
	removeCluster(settings);
	rmSync(settings.LIMEN_STATE_DIR, { recursive: true, force: true });
	say('Removed.');
}
