export { cancelRollout, doNow, goBack, goOnWithRollout, leaveOut, pauseRollout } from './acts';
export { rolloutAhead } from './ahead';
export { advance } from './advance';
export { beginRollout, beginSchema } from './begin';
export { MOST_UNITS, type ForWhom } from './candidates';
export { draftRollout, type Drafting } from './draft';
export { draftRenewal, MOST_RENEWED, type Renewing } from './draft-secrets';
export { lookAtRollout } from './look';
export { rolloutDocument, rolloutRows } from './report';
export { tellOfRollouts } from './tell';
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
export { startRollouts, stopRollouts } from './turns';
