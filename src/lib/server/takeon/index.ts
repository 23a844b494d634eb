import { BOOTSTRAP, database } from '../database';
import { onJob } from '../jobs';
import { LEARN, learnLater } from './collect';
import { learnTakeOn } from './learning';
import { startBringing } from './found';
import { startTakingOn } from './place';

export { choiceSchema, choose, groupSchema, makeProfile, profileSchema, undoChoice } from './choose';
export {
	addConfigurations,
	adoptTakeOns,
	beginTakeOn,
	endTakeOn,
	leaveOut,
	modelSchema,
	MOST_UNITS,
	sayModel,
	takeOnSchema,
	takeOnUnitsSchema,
	type Brought
} from './collect';
export { endOldWay, rollOutDue, stageSchema, takeStage } from './control';
export { controlOf, OLD_WAY_DAYS } from './controlled';
export { takeOnFound, takeOnFoundSchema } from './found';
export { learnTakeOn } from './learning';
export { addProfiles, addUnits, ownUnitsSchema, profilesSchema } from './own';
export { reportOfTakeOn } from './report';
export { givePlaces, takeOnNowSchema, takeOnPlacesSchema, takeUnitsOn, usualTimeZone } from './place';
export {
	allTakeOns,
	groupsOfTakeOn,
	takeOnById,
	textsOfTakeOn,
	unitsOfTakeOn,
	type TakeOn,
	type TakeOnGroup,
	type TakeOnUnit
} from './store';

export { addWayIn, wayInSchema, withoutWayIn } from './way-in';

/** From now on it is learnt from what was collected, and units are brought into the plan. */
export function startTakeOns(): void {
	startTakingOn();
	startBringing();
	onJob(LEARN, BOOTSTRAP, async ({ takeOn }) => {
		// One at a time: the queue's few turns are for everybody
		if (isLearning) return learnLater(database(), takeOn!);
		isLearning = true;
		try {
			await learnTakeOn(takeOn!);
		} finally {
			isLearning = false;
		}
	});
}
let isLearning = false;
