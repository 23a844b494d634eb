export { bindOnTheWay } from './on-the-way';
export * from './bind';
export * from './pairing';
export { phonePairs, type PhonePair } from './phone';
export { retryUnits, startBinding } from './retry-many';
export * from './rules';
export { returnToService, swapIn, swapUnit } from './swap';
export * from './actions';
