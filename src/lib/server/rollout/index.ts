export { cancelRollout, doNow, goBack, goOnWithRollout, leaveOut, pauseRollout } from './acts';
export { advance } from './advance';
export { beginRollout, beginSchema } from './begin';
export { draftRollout, MOST_UNITS, type Drafting, type ForWhom } from './draft';
export { rolloutDocument, rolloutRows } from './report';
export { tellOfRollouts } from './tell';
export {
	allRollouts,
	failedAlike,
	ITEMS_AT_ONCE,
	itemsOfRollout,
	rolloutAhead,
	rolloutById,
	stoppedRollouts,
	wavesOfRollout
} from './store';
export { startRollouts, stopRollouts } from './turns';
