export { closedWords, disruptionAt, disruptionAtMany, mayBeDisrupted, type Allowing } from './allow';
export { saveWindowRule, windowFormSchema, withHolidays } from './save';
export {
	rulesOf,
	statedWindows,
	windowAt,
	windowNow,
	windowsAt,
	zonesOf,
	type RuleOwner,
	type StatedRule,
	type WindowNow
} from './store';
