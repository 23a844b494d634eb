import { onErrand } from '../connections';
import { BOOTSTRAP, CLEAN_UP } from '../database';
import { onSchedule } from '../jobs';
import { currentSettings } from '../settings';
import { askHowTheyDo } from './asking';
import { gatherDays, gatherHours, keepHealth } from './gathering';
import { readHealth } from './reading';

export { askHowTheyDo } from './asking';
export { keepFacts, onSerialsTold, type ToldSerials } from './facts';
export { gatherDays, gatherHours, keepHealth } from './gathering';
export { keepReadings, type UnitFigures } from './reading';
export { seriesOf, type SeriesOfUnit } from './series';
export { absencesOf, UPTIME_ROWS, uptimes } from './uptime';

/** From now on units are asked how they do, and what they say is gathered. */
export function startHealth(): void {
	onErrand('health', readHealth);
	if (currentSettings().LIMEN_WATCH)
		onSchedule('* * * * *', 'ask how units do', BOOTSTRAP, () => askHowTheyDo());
	onSchedule('8 * * * *', 'gather how units do', BOOTSTRAP, async () => {
		await gatherHours();
		await gatherDays();
	});
	onSchedule('25 * * * *', 'keep how units do', CLEAN_UP, () => keepHealth());
}
