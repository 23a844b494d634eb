import { onOtherKey } from '../connections';
import { onLooked } from '../drift';
import { onSerialsTold } from '../health';
import { BOOTSTRAP } from '../database';
import { onSchedule } from '../jobs';
import { currentSettings } from '../settings';
import { watchStates } from './states';
import { watchFigures } from './figures';
import { watchSilence } from './silence';
import { endOfThoseAway, tellOfDrift, tellOfOtherKey, tellOfSerials } from './raise';

export * from './care';
export { previewRule, type Preview } from './preview';
export * from './rules';
export { watchStates } from './states';
export { watchFigures } from './figures';
export { watchSilence } from './silence';
export { endAlertOf, endOfThoseAway, raise, tellOfSerials, type Raised } from './raise';
export { seeAlerts } from './see';
export { alertById, alerts, type Alert } from './store';

/** From now on a person is told when something changes out of Limen. */
export function startAlerts(): void {
	onLooked(tellOfDrift);
	onOtherKey(tellOfOtherKey);
	onSerialsTold(tellOfSerials);
	onSchedule('* * * * *', 'end alerts', BOOTSTRAP, endOfThoseAway);
	if (currentSettings().LIMEN_WATCH)
		onSchedule('* * * * *', 'watch for alerts', BOOTSTRAP, async () => {
			await watchSilence();
			await watchFigures();
			await watchStates();
		});
}
