import { database } from '../../database';
import { takeTurns, type Turns } from '../../jobs';
import { log } from '../../log';
import { advance } from './advance';
import { tellOfRollouts } from './tell';

let turns: Turns | undefined;

/** From now on rollouts go on by themselves: with each beat, and as soon as a send or a flash has moved. */
export const startRollouts = (): void => void (turns = takeTurns('rollouts', 'sends', advanceAll));

/** Begins nothing more; resolves when what is being begun has begun. */
export const stopRollouts = async (): Promise<void> => turns?.stop();

async function advanceAll(isStopping: () => boolean): Promise<void> {
	const ids: string[] = await database()('rollout')
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.orderBy('begun_at')
		.pluck('id');
	for (const id of ids)
		try {
			// As long as there is room and somebody to begin: a turn begins some at a time
			while (!isStopping() && (await advance(id)) > 0);
		} catch (error) {
			log.error({ rollout: id, error: (error as Error).stack }, 'a rollout could not go on');
		}
	await tellOfRollouts();
}
