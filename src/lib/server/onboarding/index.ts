export * from './arrivals';
export { hangUp, isConnected, proveConnected, readRunning, startCallHome, stopCallHome } from './call-home';
export { bindOnTheWay } from './on-the-way';
export { phonePairs, type PhonePair } from './phone';
export { bindIn, bindUnit, changeBinding, retryRun, unbindIn, unbindUnit } from './service';
export { returnToService, swapIn, swapUnit } from './swap';
export * from './watch';
export * from './pairing';
export * from './rules';
