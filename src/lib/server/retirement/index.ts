import { BOOTSTRAP } from '../database';
import { onSchedule } from '../jobs';
import { destroyWhatIsOver } from './destroy';
import { startRetiring } from './retire';

export { lifeAsked } from './asked';
export { destroyWhatIsOver } from './destroy';
export { LIFE_AT_ONCE, lifeOf } from './life';
export { retireUnit, retireUnits, stateTerm, terms, termSchema, type Term } from './retire';
export {
	destructions,
	RETIRED_AT_ONCE,
	retiredById,
	retiredUnits,
	type Destruction,
	type RetiredUnit
} from './retired';

/** From now on units can be retired, and what is known of them is destroyed when its term is over. */
export function startRetirement(): void {
	startRetiring();
	onSchedule('23 3 * * *', 'destroy what is over', BOOTSTRAP, async () => void (await destroyWhatIsOver()));
}
