export { startCallHome, stopCallHome } from './call-home';
export { onOtherKey, startReaching } from './reaching/reach';
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
} from './reaching/reaching';
export {
	ConnectionBroke,
	Dialogue,
	dialogueOf,
	dialogueSize,
	type Over,
	type SaidLine
} from './speaking/dialogue';
export { answerTo, askErrand, cancelErrands, errandsOf, type Errand } from './errands/errands';
export { greetingOf } from './speaking/greeting';
export { hangUp, heldHere, watchOverConnections, type KnownUnit } from './held';
export { latestReading, readingById, readingOf, type Reading } from './errands/readings';
export { connectionOf, unreachableUnits, type Connection, type Unreachable } from './store';
export { startErrands, stopErrands } from './errands/beat';
export { onErrand, onRead, type ClaimedErrand } from './errands/work';
export { onWelcome } from './welcome';
export { onLogin, type TriedLogin } from './reaching/logins';
export { UNIT_USER } from './speaking/ssh';
export {
	enterAt,
	failedTry,
	HeldBack,
	letIn,
	type Entered,
	type Tried,
	type TriedAt
} from './reaching/trying';
export { chosenLogin, unsealedLogin, type LoginAt } from './reaching/login-store';
export {
	loginFields,
	loginProblem,
	NOT_REACHED_BY_YOU,
	portField,
	rangesField,
	shortText,
	unitLogin
} from './reaching/fields';
export { onSecretWanted } from './reaching/privileges';
