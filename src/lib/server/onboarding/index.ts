export * from './arrivals';
export { isConnected, proveConnected, readRunning, startCallHome, stopCallHome } from './call-home';
export * from './service';
export * from './watch';
