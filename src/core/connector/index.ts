export * from './compare';
export * from './compare-source';
export * from './kinds';
export * from './mapping';
export * from './source';
