export * from './import';
export * from './store';
export type { Allotment, Pool } from './pool-space';
export * from './pools';
export { allotMissing, importUsed, releaseAllotment } from './allotting';
export * from './sheet';
export * from './values';
export * from './sheet-file';
export * from './positions';
