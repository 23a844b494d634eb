import { onKept } from '../archive';
import { lookAt } from './look';

export { leaveFindings, leaveSchema } from './leave';
export { placeAt } from './place';
export { readNow } from './read-now';
export {
	driftCounts,
	driftedUnits,
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

/** From now on what units run is held against what they should run whenever it was read. */
export const startDrift = (): void => onKept(lookAt);
