import { onRead, onWelcome } from '../connections';
import { BOOTSTRAP, runAs } from '../database';
import { onBeat, onJob, onSchedule } from '../jobs';
import { askWhatIsDue, askWhoReturned } from './asking';
import { KEEP, keepReadings, orderKeeping, readingsWait } from './keep';
import { rotate } from './rotate';

export { isSameText } from './add';
export { keepReadings, newestOf, onKept, type Kept } from './keep';
export { lineOrigins, type LineOrigins, type Origin } from './origins';
export { pinVersion } from './pin';
export { saveUpkeepRule, USUAL_RULE, upkeepRuleOf, upkeepRuleSchema, type UpkeepRule } from './rules';
export { versionsAsZip } from './zip';
export { searchArchive, type Found, type FoundVersion } from './search';
export {
	maskedTextOf,
	shownTextOf,
	versionById,
	versionsOf,
	wholeTextOf,
	type How,
	type Version
} from './store';

/** From now on what is read from units is kept, and units are read by their customers’ rules and when they return. */
export function startArchive(): void {
	onJob(KEEP, BOOTSTRAP, () => keepReadings({ leaves: true }));
	onRead(async (kinds) => {
		if (kinds.has('configuration')) await orderKeeping();
	});
	// What was read as a process died is kept by the next one
	onBeat(() => runAs(BOOTSTRAP, async () => ((await readingsWait()) ? orderKeeping() : undefined)));
	onWelcome(({ unitId }) => askWhoReturned(unitId));
	onSchedule('* * * * *', 'read what is due', BOOTSTRAP, askWhatIsDue);
	onSchedule('23 * * * *', 'let old versions go', BOOTSTRAP, async () => void (await rotate()));
}
