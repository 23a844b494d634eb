export { cancelRollout, doNow, goBack, goOnWithRollout, leaveOut, pauseRollout } from './acts';
export { rolloutAhead } from './drafting/ahead';
export { advance } from './going/advance';
export { beginRollout, beginSchema } from './drafting/begin';
export { MOST_UNITS, type ForWhom } from './drafting/candidates';
export { draftRollout, type Drafting } from './drafting/draft';
export { draftRenewal, MOST_RENEWED, type Renewing } from './drafting/draft-secrets';
export { lookAtRollout } from './drafting/look';
export { rolloutDocument, rolloutRows } from './report';
export { tellOfRollouts } from './going/tell';
export {
	allRollouts,
	failedAlike,
	itemsOfRollout,
	rolloutWindow,
	whichIn,
	rolloutById,
	stoppedRollouts,
	wavesOfRollout
} from './store';
export { startRollouts, stopRollouts } from './going/turns';
