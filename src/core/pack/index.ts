export * from './answer';
export * from './asks';
export * from './compare';
export * from './sending';
export * from './trial';
export { readPack, type PackProblem, type PackReading } from './read';
export { LARGEST_PACK, packSchema, type Pack, type PackModel } from './schema';
export type { AskRule, FlashRule, Reading, SendRule, ShellRules, Talk } from './talk';
