export * from './arrivals';
export { isConnected, proveConnected, startCallHome, stopCallHome } from './call-home';
export * from './service';
export * from './watch';
