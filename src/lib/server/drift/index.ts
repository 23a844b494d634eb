import { onKept } from '../archive';
import { BOOTSTRAP, database, enqueue, runAs } from '../database';
import { onJob, onSchedule } from '../jobs';
import { subscribe, type Topic } from '../live';
import { log } from '../log';
import { LOOK_DUE, lookWhoIsBehind } from './behind';
import { countWhoIsBehind } from './behind-days';
import { countAllGroups, countWhatWasLeft } from './groups';
export { countAllGroups, countWhatWasLeft } from './groups';
import { LOOK_AGAIN, lookAgain, lookAt } from './look';
export { onLooked, type LookedAt } from './look';

export { behindByDay, countWhoIsBehind, type BehindOnDay } from './behind-days';
export { acceptanceOf, MOST_ACCEPTED, type Acceptance, type AcceptOption } from './acceptance';
export { acceptFindings, acceptedWords } from './accept';
export {
	behindByProfile,
	behindUnits,
	countBehind,
	lookWhoIsBehind,
	MOST_BEHIND,
	type BehindProfile,
	type BehindUnit,
	type Why
} from './behind';
export {
	intendedBetween,
	intendedDocument,
	intendedRows,
	whyWords,
	type IntendedReport,
	type IntendedUnit
} from './intended';
export { driftedMost, MOST_DAYS_BACK, type OftenDrifted } from './most';
export { leaveFindings, leaveSchema } from './leave';
export { placeAt } from './place';
export { readMany, readNow } from './read-now';
export {
	driftCounts,
	driftOf,
	findingById,
	findingGroups,
	findingsOf,
	GROUPS_AT_ONCE,
	unitsOfGroup,
	type Drift,
	type DriftCounts,
	type FindingGroup,
	type ShownFinding,
	type UnitOfGroup
} from './store';

/**
 * From now on what units run is held against what they should run whenever it was read, and which units are behind is
 * known soon after anything has changed.
 */
export function startDrift(): void {
	onKept(lookAt);
	onJob(LOOK_AGAIN, BOOTSTRAP, ({ unit }) => lookAgain(unit!));
	onSchedule('* * * * *', LOOK_DUE, BOOTSTRAP, lookWhoIsBehind);
	onSchedule('* * * * *', 'count what was left', BOOTSTRAP, countWhatWasLeft);
	onSchedule('13 * * * *', 'count who is behind', BOOTSTRAP, countWhoIsBehind);
	onSchedule('41 * * * *', 'count findings', BOOTSTRAP, countAllGroups);
	subscribe(
		({ topic }) => {
			if (!CHANGES_WHAT_IS_DUE.has(topic)) return;
			void runAs(BOOTSTRAP, () => enqueue(database(), LOOK_DUE, {}, { key: LOOK_DUE })).catch(
				(error: Error) =>
					log.info({ error: error.message }, 'who is behind is looked at with the next minute')
			);
		},
		() => true
	);
}
const CHANGES_WHAT_IS_DUE = new Set<Topic>(['plan', 'profiles', 'sends', 'packs']);
