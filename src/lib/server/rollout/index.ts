import { onBeat } from '../jobs';
import { advanceAll } from './advance';

export { cancelRollout, doNow, goBack, goOnWithRollout, leaveOut, pauseRollout } from './acts';
export { advance } from './advance';
export { beginRollout, beginSchema } from './begin';
export { draftRollout, MOST_UNITS, type Drafting, type ForWhom } from './draft';
export { tellOfRollouts } from './tell';
export {
	allRollouts,
	failedAlike,
	ITEMS_AT_ONCE,
	itemsOfRollout,
	rolloutAhead,
	rolloutById,
	stoppedRollouts,
	wavesOfRollout,
	type FailedAlike,
	type Rollout,
	type RolloutAhead,
	type RolloutItem,
	type WaveCount
} from './store';

/** From now on rollouts go on by themselves. */
export const startRollouts = (): void => onBeat(advanceAll);
