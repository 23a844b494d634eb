import { BOOTSTRAP } from '../database';
import { onJob, onSchedule } from '../jobs';
import { MAKE_REPORT, makeReport } from './make';
import { makeWhatIsDue } from './schedules';

export { zoneOf, type Told } from './gather';
export {
	keptReport,
	keptReports,
	lostReports,
	reportFile,
	sendingSchema,
	sendReport,
	type KeptReport,
	type ReportLetter
} from './kept';
export { lookOf, lookSchema, stateLook, underItsLook, type CustomerLook } from './look';
export { adoptReports, askForReport, makeReport, previewReport } from './make';
export {
	endSchedule,
	makeWhatIsDue,
	reportFormSchema,
	reportScheduleById,
	reportSchedules,
	saveSchedule,
	scheduleFormSchema,
	scheduleSchema,
	type ReportSchedule
} from './schedules';

/** From now on reports are made beside the requests, and those that are due by themselves. */
export function startReports(): void {
	onJob(MAKE_REPORT, BOOTSTRAP, ({ report }, attempt) => makeReport(report!, attempt));
	onSchedule('* * * * *', 'make reports that are due', BOOTSTRAP, () => makeWhatIsDue());
}
