import { BOOTSTRAP } from '../database';
import { onSchedule } from '../jobs';
import { hold } from './hold';

export { hold } from './hold';
export { STATED, stanceOfUnit, statedFor, type StanceOwner } from './store';
export { stanceSchema, takeStance, takeStanceIn } from './take';

/** From now on units that are held are put back by themselves. */
export const startHolding = (): void => onSchedule('* * * * *', 'hold units', BOOTSTRAP, hold);
