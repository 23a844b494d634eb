import { BOOTSTRAP, database, enqueue, runAs } from '../database';
import { onBeat, onJob, onSchedule } from '../jobs';
import { notifyEach } from '../live';
import { endDiagnoses } from './diagnosis';
import { noteOutcomes, signFailures } from './failures';
import { learnAll, learnNew } from './learn';
import { writeLetters } from './letters';
import { lookWhoIsReady } from './ready';
import { startRehearsals } from './rehearsal';

export * from './ahead';
export * from './board';
export { forgetKnowledge } from './knowledge';
export { answerQuestion, askAnew, diagnosisOf, settleDiagnosis } from './diagnosis';
export { failureGroups, unitsOfGroup, whatHelped } from './failures';
export * from './normal';
export * from './outcomes';
export * from './progress';
export { chooseLetters, letterWishesOf, letterWishesSchema } from './letters';
export { gapsAt, readinessAt } from './ready';
export {
	rehearseDraft,
	rehearseMany,
	rehearseSites,
	rehearseStamping,
	type SiteRehearsal
} from './rehearsal';

/** From now on what is normal is learnt, and whoever watches is told when a unit becomes late or stalled. */
export function startWatching(): void {
	startRehearsals();
	onJob(LEARN_NEW, BOOTSTRAP, async () => void (await learnNew()));
	onJob(SIGN, BOOTSTRAP, signFailures);
	onBeat(orderWhatIsDue);
	onBeat(tellWhoIsLate);
	onSchedule('* * * * *', 'learn what is normal', BOOTSTRAP, async () => void (await learnAll()));
	onSchedule('* * * * *', 'note what helped', BOOTSTRAP, noteOutcomes);
	onSchedule('* * * * *', 'end what was asked', BOOTSTRAP, endDiagnoses);
	onSchedule('* * * * *', 'look who is ready', BOOTSTRAP, lookWhoIsReady);
	onSchedule('* * * * *', 'write letters of sites', BOOTSTRAP, writeLetters);
}

const LEARN_NEW = 'learn new steps';
const SIGN = 'sign failures';
/** A beat that is late makes its process seem dead, so what takes time is done by the queue, and once however many beat. */
function orderWhatIsDue(): Promise<void> {
	return runAs(BOOTSTRAP, async () => {
		const { rows } = await database().raw(
			`select exists (select from step_group where learnt_at is null) as learn,
				exists (select from run where outcome = 'failed' and signature_id is null) as sign`
		);
		if (rows[0].learn) await enqueue(database(), LEARN_NEW, {}, { key: LEARN_NEW });
		if (rows[0].sign) await enqueue(database(), SIGN, {}, { key: SIGN });
	});
}

let lookedAt = performance.now();
/** Runs whose step has become late or stalled since this process looked last. */
function tellWhoIsLate(): Promise<void> {
	return runAs(BOOTSTRAP, async () => {
		const begun = performance.now();
		const { rows } = await database().raw(
			`select run.id, run.customer_id as "customerId" from run join step_group normal on normal.id = run.group_id
			where run.outcome = 'open' and (run.since + make_interval(secs => normal.late) between now() - make_interval(secs => :seconds) and now()
				or run.since + make_interval(secs => normal.stalled) between now() - make_interval(secs => :seconds) and now())`,
			// A second more: what is asked is a moment before the database's now
			{ seconds: (begun - lookedAt) / 1_000 + 1 }
		);
		lookedAt = begun;
		await notifyEach(database(), 'runs', rows as { id: string; customerId: string }[]);
	});
}
