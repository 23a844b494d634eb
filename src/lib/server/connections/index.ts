export { startCallHome, stopCallHome } from './call-home';
export { onOtherKey, startReaching } from './reach';
export {
	reachAt,
	reachOf,
	reachWhereFoundIn,
	reachSchema,
	removeWay,
	saveWay,
	stopReaching,
	waySchema,
	forgetReachIn,
	waysOf,
	type Reach,
	type ShownWay
} from './reaching';
export { ConnectionBroke, Dialogue, dialogueOf, dialogueSize, type Over, type SaidLine } from './dialogue';
export { answerTo, askErrand, cancelErrands, errandsOf, type Errand } from './errands';
export { greetingOf } from './greeting';
export { hangUp, heldHere, watchOverConnections, type KnownUnit } from './held';
export { latestReading, readingById, readingOf, type Reading } from './readings';
export { connectionOf, unreachableUnits, type Connection, type Unreachable } from './store';
export { startErrands, stopErrands } from './beat';
export { onErrand, onRead, type ClaimedErrand } from './work';
export { onWelcome } from './welcome';
export { onLogin, type TriedLogin } from './logins';
export { UNIT_USER } from './ssh';
export { enterAt, failedTry, HeldBack, letIn, type Entered, type Tried, type TriedAt } from './trying';
export { chosenLogin, unsealedLogin, type LoginAt } from './login-store';
export {
	loginFields,
	loginProblem,
	NOT_REACHED_BY_YOU,
	portField,
	rangesField,
	shortText,
	unitLogin
} from './fields';
export { onSecretWanted } from './privileges';
