import { BOOTSTRAP, database, runAs } from '../database';
import { onBeat } from '../jobs';
import { subscribe } from '../live';
import { log } from '../log';
import { advance } from './advance';
import { tellOfRollouts } from './tell';

/**
 * Turns are taken beside the heartbeat, which many units to begin would hold up: with each beat, and as soon as a send or
 * a flash is told to have moved. One at a time in each process; what is told meanwhile is looked at after.
 */
let turning: Promise<void> | null = null;
let again = false;
let stopping = false;
let unsubscribe: (() => void) | undefined;

/** From now on rollouts go on by themselves. */
export function startRollouts(): void {
	stopping = false;
	unsubscribe = subscribe(
		({ topic }) => void (topic === 'sends' && takeTurn()),
		() => true
	);
	onBeat(async () => takeTurn());
}

/** Begins nothing more; resolves when what is being begun has begun. */
export async function stopRollouts(): Promise<void> {
	stopping = true;
	unsubscribe?.();
	await turning;
}

function takeTurn(): void {
	if (stopping) return;
	again = true;
	turning ??= runAs(BOOTSTRAP, async () => {
		while (again && !stopping) {
			again = false;
			await advanceAll();
		}
	})
		.catch((error: Error) => log.error({ error: error.stack }, 'rollouts could not go on'))
		.finally(() => (turning = null));
}

async function advanceAll(): Promise<void> {
	const ids: string[] = await database()('rollout')
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.orderBy('begun_at')
		.pluck('id');
	for (const id of ids)
		try {
			// As long as there is room and somebody to begin: a turn begins some at a time
			while (!stopping && (await advance(id)) > 0);
		} catch (error) {
			log.error({ rollout: id, error: (error as Error).stack }, 'a rollout could not go on');
		}
	await tellOfRollouts();
}
