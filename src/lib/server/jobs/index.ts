export { CLEAN_UPS, cleanUp } from './clean-up';
export {
	adoptLongWork,
	beginLongWork,
	DONE_AT_ONCE,
	doOrBegin,
	LONG_WORK,
	onLongWork,
	wordsOf,
	workOn,
	type DoneOrBegun,
	type Said,
	type Thing,
	type WorkToDo
} from './long-work';
export { taskCounts, troubledJobs, tryJobAgain, type TaskCount, type TroubledJob } from './overview';
export { beat, onBeat, onRebirth, startProcess, stopProcess, thisProcess } from './process';
export { onJob, onSchedule, startJobs, stopJobs } from './worker';
export { takeTurns, type Turns } from './turns';
export {
	allWork,
	cancelWork,
	itemsOf,
	lastWorkAbout,
	ownWork,
	putAway,
	shownAlike,
	workById,
	type LongWork,
	type ShownAlike,
	type WorkItem
} from './work-list';
