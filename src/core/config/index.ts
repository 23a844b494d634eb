export * from './compare';
export * from './dialect';
export * from './grammar';
export { comparing, type Comparing } from './meaning';
export { labelOf } from './pairing';
export { nodesAt, statementForm, type PathNames, type StatementPath } from './paths';
export {
	asWritten,
	comparable,
	dialectRulesSchema,
	NO_RULES,
	strangeRules,
	type DialectRules
} from './rules';
export { jsonLines, type PrintedLine } from './dialects/json';
export {
	DIALECTS,
	LARGEST_CONFIGURATION,
	statementOf,
	type ConfigNode,
	type ConfigProblem,
	type ConfigReading,
	type ConfigTree,
	type Dialect
} from './tree';
export { splitWords } from './words';
