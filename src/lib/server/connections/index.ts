export { onWelcome, startCallHome, stopCallHome } from './call-home';
export { ConnectionBroke, dialogueOf, dialogueSize, type Dialogue, type SaidLine } from './dialogue';
export { answerTo, askErrand, cancelErrands, errandsOf, type Errand } from './errands';
export { hangUp, heldHere, watchOverConnections, type KnownUnit } from './held';
export { latestReading, readingById, readingOf, type Reading } from './readings';
export { connectionOf, unreachableUnits, type Connection, type Unreachable } from './store';
export { onErrand, startErrands, stopErrands, type ClaimedErrand } from './work';
