import { BOOTSTRAP } from '../database';
import { onSchedule } from '../jobs';
import { countCohorts } from './cohorts';

export {
	cohortMembers,
	cohorts,
	cohortSchema,
	countCohorts,
	dropCohort,
	droppedCohortSchema,
	keepCohort,
	type Cohort
} from './cohorts';

/** From now on cohorts are counted every hour. */
export const startCohorts = (): void => onSchedule('7 * * * *', 'count cohorts', BOOTSTRAP, countCohorts);
