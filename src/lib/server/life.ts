import { startBinding } from './binding';
import {
	startCallHome,
	startErrands,
	startReaching,
	stopCallHome,
	stopErrands,
	watchOverConnections
} from './connections';
import { BOOTSTRAP, checkKeys, CLEAN_UP, closeDatabase, database, enqueue, runAs, SIGN_IN } from './database';
import { startDevices, stopDevices } from './devices';
import { startEvents, stopEvents } from './events';
import { startRegistries, stopRegistries } from './intake';
import {
	adoptLongWork,
	cleanUp,
	LONG_WORK,
	onJob,
	onSchedule,
	startJobs,
	startProcess,
	stopJobs,
	stopProcess,
	workOn,
	type Turns
} from './jobs';
import { anchorToday } from './ledger';
import { startHub, stopHub } from './live';
import { adoptLetters, SEND_LETTER, sendLetter, stopMail } from './mail';
import { startMetrics, stopMetrics } from './metrics';
import { answerTrials, proveWhatIsDue, startProofs } from './proof';
import { startReachability } from './reachability';
import { startAlerts } from './alerts';
import { startCohorts } from './cohorts';
import { adoptConnectors, startConnectors } from './connectors';
import { startReplacements } from './replacement';
import { adoptReports, startReports } from './reports';
import { startRetirement } from './retirement';
import { startLogins } from './logins';
import { startSurveys } from './survey';
import { adoptTakeOns, startTakeOns } from './takeon';
import { startArchive } from './archive';
import { startDrift } from './drift';
import { startFlashes, startLookingAtMany, startPuttingRight, startRestarts, startSaving, startSends } from './send';
import { startRollouts, stopRollouts } from './rollout';
import { startSecrets, stopSecrets } from './secrets';
import { startVouchers, stopVouchers } from './trust';
import { startHolding } from './stance';
import { keepHealth, startHealth } from './health';
import { log } from './log';
import { ensureOwnerKey, tellOfKeyEnd } from './signing';
import { startWatching } from './watch';
import { startWebhooks, stopWebhooks } from './webhooks';

let surveys: Turns | undefined;

const ANCHOR = 'anchor the ledger';

/** Begins all that goes on in this process beside the requests; rejects when it cannot. */
export async function beginLife(): Promise<void> {
	await checkKeys();
	await startHub();
	await startProcess();
	watchOverConnections();
	startProofs();
	startReachability();
	answerTrials();
	startArchive();
	startDrift();
	startAlerts();
	startHealth();
	startCohorts();
	startReplacements();
	startRetirement();
	startReports();
	startConnectors();
	startTakeOns();
	startLogins();
	surveys = startSurveys();
	startSends();
	startFlashes();
	startPuttingRight();
	startLookingAtMany();
	startRestarts();
	startSaving();
	startHolding();
	startRollouts();
	startSecrets();
	startWebhooks();
	startErrands();
	await startCallHome();
	await startDevices();
	await startEvents();
	startReaching();
	await startMetrics();
	await runAs(BOOTSTRAP, ensureOwnerKey);
	// Those of the next days are there already: another process can be at it, or a long reading in the way
	await runAs(CLEAN_UP, () => keepHealth()).catch((error: Error) =>
		log.warn({ error: error.message }, 'no room was made for how units do')
	);
	registerJobs();
	await startJobs();
	await adopt();
	startRegistries();
	startVouchers();
}

/** Ends it in order: what this process held is let go at once, and what it was doing waits for another. */
export async function endLife(): Promise<void> {
	await surveys?.stop();
	surveys = undefined;
	await stopRollouts();
	await stopSecrets();
	await stopWebhooks();
	stopCallHome();
	stopErrands();
	await stopEvents();
	stopDevices();
	stopMail();
	stopRegistries();
	await stopVouchers();
	stopMetrics();
	await stopJobs();
	await stopProcess();
	await stopHub();
	await closeDatabase();
}

/** What is done beside the requests, and as whom. */
function registerJobs(): void {
	startBinding();
	startWatching();
	onJob(LONG_WORK, BOOTSTRAP, ({ work }) => workOn(work!));
	onJob(SEND_LETTER, SIGN_IN, ({ letter }, attempt) => sendLetter(letter!, attempt));
	onSchedule('*/15 * * * *', ANCHOR, SIGN_IN, async () => void (await anchorToday()));
	onSchedule('20 * * * *', 'tell of the signing key', SIGN_IN, tellOfKeyEnd);
	onSchedule('*/2 * * * *', 'prove sites', BOOTSTRAP, proveWhatIsDue);
	onSchedule('*/10 * * * *', 'clean up', CLEAN_UP, async () => void (await cleanUp()));
}

/** The queue is not backed up: every job that is owed is found from the tables, and none is there twice. */
async function adopt(): Promise<void> {
	await runAs(BOOTSTRAP, adoptLongWork);
	await runAs(BOOTSTRAP, adoptTakeOns);
	await runAs(BOOTSTRAP, adoptReports);
	await adoptConnectors();
	await runAs(SIGN_IN, async () => {
		await adoptLetters();
		await enqueue(database(), ANCHOR, {}, { key: ANCHOR });
	});
}
