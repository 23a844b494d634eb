export * from './answer';
export * from './asks';
export * from './compare';
export * from './sending';
export * from './trial';
export { readPack, type PackProblem, type PackReading } from './read';
export {
	LARGEST_PACK,
	packSchema,
	type AskRule,
	type FlashRule,
	type Pack,
	type PackModel,
	type Reading,
	type SendRule,
	type ShellRules,
	type Talk
} from './schema';
