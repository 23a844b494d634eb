import { onLooked } from '../drift';
import { tellOfDrift } from './raise';

export { raise, type Raised } from './raise';
export { seeAlerts } from './see';
export { ALERTS_AT_ONCE, alerts, type Alert } from './store';

/** From now on a person is told when something changes out of Limen. */
export const startAlerts = (): void => onLooked(tellOfDrift);
