export { beginSend, boundUnit, cannotBeSent, putRightAt, type Sending } from './ask';
export { DUE, type Planned, type Wanted } from './planned';
export { putRightMany, startPuttingRight } from './many';
export { startSends } from './do';
export { lookBeforeSending, type Comparison } from './look';
export { openSend, sendsOf, type ShownSend } from './store';
export { restartUnit, startRestarts, startSaving } from './restart';
