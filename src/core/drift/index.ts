export * from './accept';
export {
	findingsBetween,
	putRight,
	textOf,
	TOUCHES,
	type Finding,
	type Findings,
	type Looked,
	type Place,
	type Touches,
	UNSAVED
} from './finding';
export * from './spans';
