import { onLooked } from '../drift';
import { BOOTSTRAP } from '../database';
import { onSchedule } from '../jobs';
import { endOfThoseAway, tellOfDrift } from './raise';

export { endOfThoseAway, raise, type Raised } from './raise';
export { seeAlerts } from './see';
export { ALERTS_AT_ONCE, alerts, type Alert } from './store';

/** From now on a person is told when something changes out of Limen. */
export function startAlerts(): void {
	onLooked(tellOfDrift);
	onSchedule('* * * * *', 'end alerts', BOOTSTRAP, endOfThoseAway);
}
