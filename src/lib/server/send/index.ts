export { boundUnit, cannotBeSent, dueFor, sendDue, type DueConfiguration, type Sending } from './ask';
export { startSends } from './do';
export { lookBeforeSending, type Comparison } from './look';
export { openSend, sendsOf, type ShownSend } from './store';
export { restartUnit, startRestarts } from './restart';
