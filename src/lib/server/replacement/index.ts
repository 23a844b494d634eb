import { BOOTSTRAP } from '../database';
import { onJob, onSchedule } from '../jobs';
import { startSwapping } from './acts';
import { LOOK_AT_REPLACEMENT, lookAtReplacement, lookAtReplacements } from './look';

export {
	beginReplacement,
	endReplacement,
	giveUnits,
	lookOnceMore,
	newUnitsSchema,
	placesSchema,
	replacementSchema,
	swapPlaces,
	takeUnitsBack
} from './acts';
export { lookAtReplacement, lookAtReplacements, MOST_PLACES } from './look';
export {
	allReplacements,
	placesOf,
	replacementById,
	replacementDays,
	type Replacement,
	type ReplacementPlace
} from './store';

/** From now on replacements are looked at and counted every hour, and whenever somebody asks. */
export function startReplacements(): void {
	startSwapping();
	onJob(LOOK_AT_REPLACEMENT, BOOTSTRAP, ({ replacement }) => lookAtReplacement(replacement!));
	onSchedule('23 * * * *', 'look at replacements', BOOTSTRAP, lookAtReplacements);
}
