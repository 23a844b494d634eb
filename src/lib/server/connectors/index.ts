import { BOOTSTRAP, runAs } from '../database';
import { onJob, onLongWork, onSchedule } from '../jobs';
import { adoptConnectors as adoptReadings, readConnector, readWhatIsDue } from './run';
import { RUN_CONNECTOR } from './state';
import { TAKE_OVER, TAKE_REFUSALS, TAKE_UNITS, takeRow } from './take';
import { adoptUnits, takeUnits } from './take-units';

export { folderOf } from './collect';
export * from './kept';
export { readConnector, readWhatIsDue } from './run';
export {
	connectorFormSchema,
	connectorSchema,
	endConnector,
	mappingFormSchema,
	readNow,
	saveConnector,
	saveMapping
} from './state';
export { decide, decisionSchema, runSchema, takeIn } from './take';
export { targetsOf } from './world';

/** From now on connectors are read when they are due. */
export function startConnectors(): void {
	onJob(RUN_CONNECTOR, BOOTSTRAP, ({ run }, attempt) => readConnector(run!, attempt));
	onJob(TAKE_UNITS, BOOTSTRAP, ({ run }, attempt) => takeUnits(run!, attempt));
	onLongWork(TAKE_OVER, takeRow, TAKE_REFUSALS);
	onSchedule('* * * * *', 'read connectors', BOOTSTRAP, readWhatIsDue);
}

/** What is waited for has its job. Runs as BOOTSTRAP. */
export const adoptConnectors = (): Promise<void> =>
	runAs(BOOTSTRAP, async () => {
		await adoptReadings();
		await adoptUnits();
	});
