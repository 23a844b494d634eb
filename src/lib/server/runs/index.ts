export * from './arrivals';
export * from './begin';
export type { Happening, HostKey, Recorded } from './happening';
export { fingerprintOf } from './host-keys';
export * from './record';
