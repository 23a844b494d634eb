export * from './arrivals';
export { isConnected, proveConnected, readRunning, startCallHome, stopCallHome } from './call-home';
export { bindOnTheWay } from './on-the-way';
export { phonePairs, type PhonePair } from './phone';
export { bindUnit, retryRun, unbindUnit } from './service';
export { returnToService, swapUnit } from './swap';
export * from './watch';
