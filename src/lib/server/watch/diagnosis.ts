import type { Knex } from 'knex';
import type { Lamp, RunStep } from '../../../core/onboarding';
import type { PositionStanding } from '../../../core/plan';
import {
	answersOf,
	CAUSES,
	nextQuestion,
	QUESTIONS,
	seenOf,
	suspects,
	UNKNOWN,
	type Answered,
	type Case,
	type Diagnosis,
	type QuestionId
} from '../../../core/watch';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

interface Row {
	readonly runId: string;
	readonly customerId: string;
	readonly unitId: string;
	readonly serial: string;
	readonly step: RunStep;
	readonly standing: PositionStanding;
	readonly failureKind: string | null;
	readonly failureWords: string | null;
	readonly wrongCode: number;
	readonly port: string | null;
	readonly lights: readonly { readonly shows: string; readonly state?: Lamp }[] | null;
	readonly answers: readonly Answered[] | null;
	readonly isEnded: boolean;
	readonly usual: NonNullable<Case['usual']>;
	readonly ended: Readonly<Record<string, number>>;
}

const MOST_SHOWN = 3;
const LEAST_SHOWN = 0.05;
const NO_LIGHT = 'No light at all';
const DO_NOT_KNOW = { value: UNKNOWN, words: 'I do not know' };

/** The units that do not come, of all or of some runs, or at a site: those that were never heard, that failed or hang. */
async function cases(
	knex: Knex,
	by: { readonly runId: string } | { readonly siteId: string }
): Promise<Row[]> {
	const { rows } = await knex.raw(
		`select run.id as "runId", run.customer_id as "customerId", unit.id as "unitId", unit.serial, run.step, stands.standing,
			run.failure_kind as "failureKind", run.failure_words as "failureWords", stands.wrong_code as "wrongCode",
			model.ports ->> 'uplink' as port, model.lights, model.causes as usual, diagnosis.answers, diagnosis.cause is not null as "isEnded",
			(select coalesce(jsonb_object_agg(cause, cases), '{}') from limen_ended_causes(position.role_id)) as ended
		from position_standing stands join run on run.id = stands.run_id join unit on unit.id = run.unit_id join model on model.id = unit.model_id
		join position on position.id = stands.position_id left join diagnosis on diagnosis.run_id = run.id
		where stands.standing in ('waiting', 'stuck', 'stalled') and ${'runId' in by ? 'stands.run_id' : 'stands.site_id'} = ?`,
		['runId' in by ? by.runId : by.siteId]
	);
	return rows;
}

const lampsOf = ({ lights }: Row): Lamp[] => (lights ?? []).flatMap(({ state }) => state ?? []);
const caseOf = (row: Row): Case => ({
	seen: seenOf(row),
	lamps: lampsOf(row),
	usual: row.usual,
	ended: row.ended,
	answers: row.answers ?? []
});

const questionWords = (row: Row, question: QuestionId): string =>
	QUESTIONS[question].words.replace('{ending}', row.serial.slice(-4));
function answerWords(row: Row, question: QuestionId, answer: string): string {
	if (answer === UNKNOWN) return DO_NOT_KNOW.words;
	if (question === 'lamp') return row.lights?.find(({ state }) => state === answer)?.shows ?? NO_LIGHT;
	const words = (QUESTIONS[question].answers as Readonly<Record<string, string>>)[answer] ?? answer;
	return words.replace('{port}', row.port ? `the port marked ${row.port}` : 'the port that the card shows');
}

function shown(row: Row): Diagnosis {
	const about = caseOf(row);
	const question = row.isEnded ? null : nextQuestion(about);
	return {
		runId: row.runId,
		answered: about.answers.map(({ question, answer }) => ({
			words: questionWords(row, question),
			answer: answerWords(row, question, answer)
		})),
		question: question && {
			id: question,
			words: questionWords(row, question),
			answers: [
				...answersOf(question, about.lamps).map((value) => ({
					value,
					words: answerWords(row, question, value)
				})),
				DO_NOT_KNOW
			]
		},
		suspects: suspects(about)
			.slice(0, MOST_SHOWN)
			.filter(({ probability }) => probability >= LEAST_SHOWN)
			.map(({ cause: { id, words, act, plain }, probability }) => ({ id, words, act, plain, probability }))
	};
}

/** What to ask about a run's unit, and what it may be; null where its unit comes, or is through. */
export async function diagnosisOf(runId: string): Promise<Diagnosis | null> {
	const [row] = await cases(database(), { runId });
	return row ? shown(row) : null;
}

/** The same for all positions of a site, by their names. */
export async function diagnosesAt(siteId: string): Promise<ReadonlyMap<string, Diagnosis>> {
	const rows = await cases(database(), { siteId });
	const { rows: names } = await database().raw(
		'select run_id as "runId", position.name from position_standing stands join position on position.id = position_id where stands.site_id = ?',
		[siteId]
	);
	const byRun = new Map((names as { runId: string; name: string }[]).map(({ runId, name }) => [runId, name]));
	return new Map(rows.map((row) => [byRun.get(row.runId)!, shown(row)]));
}

const NOT_OPEN = 'This unit does not need to be asked about any more.';

/**
 * Notes what somebody at a unit answered. Whoever may bind for the customer may, and whoever holds the site's card. Refused:
 * another question than the one that is asked now, and an answer that it does not have.
 */
export const answerQuestion = (runId: string, { question, answer }: Answered, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const seen = await trx('run').where({ id: runId }).first('customer_id');
		if (!seen) return refuse(NOT_OPEN);
		if (!actor.may('bind', seen.customer_id)) return refuse('You may not do this for this customer.');
		await trx('diagnosis')
			.insert({ run_id: runId, customer_id: seen.customer_id })
			.onConflict('run_id')
			.ignore();
		await trx('diagnosis').where({ run_id: runId }).forUpdate().first('run_id');
		const [row] = await cases(trx, { runId });
		if (!row || row.isEnded) return refuse(NOT_OPEN);
		const now = shown(row);
		if (now.question?.id !== question)
			return refuse('Something else is asked now; somebody has answered this already.');
		if (!now.question.answers.some(({ value }) => value === answer))
			return refuse('Choose one of the answers.');
		await trx('diagnosis')
			.where({ run_id: runId })
			.update({
				answers: JSON.stringify([...(row.answers ?? []), { question, answer }]),
				changed_at: trx.fn.now()
			});
		await tell(
			trx,
			row,
			actor,
			'answer question',
			`${questionWords(row, question)} ${answerWords(row, question, answer)}.`
		);
		return done(undefined);
	});

/** Begins the questions anew, where an answer was wrong. Whoever may bind for the customer may. */
export const askAnew = (runId: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const [row] = await cases(trx, { runId });
		if (!row) return refuse(NOT_OPEN);
		if (!actor.may('bind', row.customerId)) return refuse('You may not do this for this customer.');
		await trx('diagnosis').where({ run_id: runId }).update({ answers: '[]', cause: null, ended_at: null });
		await tell(trx, row, actor, 'ask anew', 'The questions start again.');
		return done(undefined);
	});

/** Says what it was: that counts for the next unit. Whoever may bind for the customer may. */
export const settleDiagnosis = (runId: string, causeId: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const cause = CAUSES.find(({ id }) => id === causeId);
		const [row] = await cases(trx, { runId });
		if (!row || !cause) return refuse(NOT_OPEN);
		if (!actor.may('bind', row.customerId)) return refuse('You may not do this for this customer.');
		await trx('diagnosis')
			.insert({ run_id: runId, customer_id: row.customerId, cause: cause.id, ended_at: trx.fn.now() })
			.onConflict('run_id')
			.merge(['cause', 'ended_at']);
		await tell(trx, row, actor, 'settle question', `It was this: ${cause.words}.`);
		return done(undefined);
	});

async function tell(trx: Knex, row: Row, actor: Actor, act: string, words: string): Promise<void> {
	await enterInLedger(trx, actor, [
		{
			act,
			customerId: row.customerId,
			subjectKind: 'unit',
			subjectId: row.unitId,
			words,
			detail: { runId: row.runId }
		}
	]);
	await notify(trx, 'runs', row.customerId, [row.runId]);
}

/** So sure that a unit that then came is taken as the answer. */
const LIKELY = 0.6;
const UNCLEAR = 'unclear';

/**
 * Ends the questions about units that came after the last answer: what was likeliest then was it; where nothing was, it stays
 * unclear and counts for nothing. Runs as BOOTSTRAP.
 */
export async function endDiagnoses(): Promise<void> {
	const { rows } = await database().raw(
		`select diagnosis.run_id as "runId", answers, model.lights, model.causes as usual, case when run.called_at > changed_at then 'bound' else run.step end as step,
			run.failure_kind as "failureKind", run.failure_words as "failureWords", 0 as "wrongCode",
			(select coalesce(jsonb_object_agg(cause, cases), '{}') from limen_ended_causes(position.role_id)) as ended
		from diagnosis join run on run.id = run_id join unit on unit.id = run.unit_id join model on model.id = unit.model_id
		join position on position.id = run.position_id
		where diagnosis.cause is null and jsonb_array_length(answers) > 0 and (run.called_at > changed_at or exists (
			select from run later where later.position_id = run.position_id and later.number > run.number and later.called_at > changed_at)) limit 200`
	);
	for (const row of rows as Row[]) {
		const [first] = suspects(caseOf(row));
		await database()('diagnosis')
			.where({ run_id: row.runId })
			.whereNull('cause')
			.update({
				cause: first!.probability >= LIKELY ? first!.cause.id : UNCLEAR,
				ended_at: database().fn.now()
			});
	}
}
