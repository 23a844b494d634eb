export { CLEAN_UPS, cleanUp } from './clean-up';
export {
	adoptLongWork,
	allWork,
	beginLongWork,
	cancelWork,
	itemsOf,
	lastWorkAbout,
	LONG_WORK,
	onLongWork,
	ownWork,
	putAway,
	shownAlike,
	workById,
	workOn,
	type LongWork,
	type Said,
	type ShownAlike,
	type Thing,
	type WorkItem
} from './long-work';
export { taskCounts, troubledJobs, tryJobAgain, type TaskCount, type TroubledJob } from './overview';
export { beat, onBeat, onRebirth, startProcess, stopProcess, thisProcess } from './process';
export { onJob, onSchedule, startJobs, stopJobs } from './worker';
export { takeTurns, type Turns } from './turns';
