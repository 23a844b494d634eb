export {
	beginSend,
	boundUnit,
	cannotBeSent,
	putRightAt,
	sendAt,
	sendTogether,
	WORDS as SEND_REFUSALS,
	type Sending
} from './ask';
export { DUE, type Planned, type Wanted } from './planned';
export { putRightMany, startPuttingRight } from './many';
export { startSends } from './do';
export { flashAhead, flashAt, flashUnit, type FlashAhead } from './flash';
export { startFlashes } from './flash-do';
export { flashesOf, openFlash, type ShownFlash } from './flash-store';
export { lookBeforeSending, type Comparison } from './look';
export { lookAtMany, MOST_LOOKED_AT, startLookingAtMany } from './look-many';
export { openSend, sendsOf, type ShownSend } from './store';
export { restartAt, restartUnit, startRestarts, startSaving } from './restart';
