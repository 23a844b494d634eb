export * from './conflicts';
export * from './day';
export * from './notes';
export * from './schemas';
export { takeOver, type EntryOutcome } from './sync';
