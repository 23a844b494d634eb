import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { seedsFrom } from '../../../core/survey';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { NOT_REACHED_BY_YOU, rangesField, shortText } from '../connections';
import { database } from '../database';
import { jsonText } from '../profile';
import { oneId } from '../forms';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { EVERY, surveyById, type Every, type Survey } from './store';

const whole = (from: number, to: number, usual: number) => {
	const words = `A whole number from ${from} to ${to.toLocaleString('en')}.`;
	return v.optional(
		v.pipe(
			v.string(),
			v.regex(/^\d{1,5}$/, words),
			v.transform(Number),
			v.minValue(from, words),
			v.maxValue(to, words)
		),
		String(usual)
	);
};
export const surveySchema = v.object({
	customer: oneId('Choose the customer.'),
	name: v.pipe(shortText(120, 'Name it.'), v.minLength(1, 'Name it.')),
	begins: v.pipe(
		shortText(4000, 'Say where to begin.'),
		v.transform((typed) => [...new Set(typed.split(/[\s,;]+/).filter(Boolean))]),
		v.minLength(1, 'Say where to begin.'),
		v.maxLength(100, 'At most 100 addresses and ranges.')
	),
	ranges: rangesField,
	deepest: whole(0, 50, 8),
	atOnce: whole(1, 50, 10),
	perSecond: whole(1, 500, 20),
	minutes: whole(1, 1440, 30),
	every: v.optional(v.picklist(EVERY), 'never')
});

const aboutSurvey = ({ id, customerId }: Pick<Survey, 'id' | 'customerId'>, words: string): LedgerAct => ({
	act: 'survey',
	customerId,
	subjectKind: 'survey',
	subjectId: id,
	words
});

/** When it is done next: a day or a week from now. */
const nextFrom = (trx: Knex, every: Every) =>
	every === 'never' ? null : trx.raw(`now() + interval '1 ${every}'`);

/**
 * Keeps what a survey asks for, and begins it; one of the same name takes the place of the one before, and keeps what was found.
 * Engineers of the customer may. Refused: too many addresses, one outside of the ranges, and one that is under way.
 */
export const saveSurvey = (
	given: v.InferOutput<typeof surveySchema>,
	actor: Actor
): Promise<Act<{ readonly id: string }>> =>
	changing(
		async (trx) => {
			const { customer, name, begins, ranges, deepest, atOnce, perSecond, minutes, every } = given;
			if (!actor.may('reach units', customer)) return refuse(NOT_REACHED_BY_YOU);
			const seeds = seedsFrom(begins, ranges);
			if (!seeds.ok) return refuse(seeds.problem);
			const before = await trx('survey')
				.where({ customer_id: customer })
				.whereRaw('lower(name) = lower(?)', [name])
				.forUpdate()
				.first('id');
			const id: string = before?.id ?? uuid();
			const columns = {
				name,
				begins,
				ranges: trx.raw('?::cidr[]', [ranges]),
				deepest,
				at_once: atOnce,
				per_second: perSecond,
				minutes,
				every,
				next_at: nextFrom(trx, every),
				by_whom: actor.name,
				changed_at: trx.fn.now()
			};
			if (before) await trx('survey').where({ id }).update(columns);
			else await trx('survey').insert({ ...columns, id, customer_id: customer });
			await enterInLedger(trx, actor, [
				aboutSurvey(
					{ id, customerId: customer },
					`Survey “${name}” of ${ranges.join(', ')} ${before ? 'is another one now' : 'kept'}, from ${begins.join(', ')}.`.slice(
						0,
						2000
					)
				)
			]);
			const begun = await beginIn(trx, id, actor);
			if (!begun.ok) throw new TakenBack(begun);
			return done({ id });
		},
		{ survey_name: 'Somebody kept one of that name meanwhile. Look again.', survey_under_way: UNDER_WAY }
	);
const UNDER_WAY = 'It is under way already.';

/** Does a survey again. Engineers of the customer may. Refused while it is under way. */
export const beginSurvey = (id: string, actor: Actor): Promise<Act> =>
	changing((trx) => beginIn(trx, id, actor), { survey_under_way: UNDER_WAY });

async function beginIn(trx: Knex, id: string, actor: Actor): Promise<Act> {
	const survey = await surveyById(id, trx);
	if (!survey) return refuse('There is no such survey.');
	if (!actor.may('reach units', survey.customerId)) return refuse(NOT_REACHED_BY_YOU);
	const begun = await beginRun(trx, survey, actor.name);
	if (!begun.ok) return begun;
	await enterInLedger(trx, actor, [
		aboutSurvey(
			survey,
			`Survey “${survey.name}” begun at ${counted(begun.done.count, 'address', 'addresses')}.`
		)
	]);
	return done(undefined);
}

/** So many runs of a survey are kept. */
const KEPT = 10;

/** Begins a run in the transaction of whoever wants it, and lets the oldest go. Refused: what cannot be begun at. */
export async function beginRun(
	trx: Knex,
	{ id, customerId, begins, ranges, minutes }: Survey,
	byWhom: string
): Promise<Act<{ readonly count: number }>> {
	const seeds = seedsFrom(begins, ranges);
	if (!seeds.ok) return refuse(seeds.problem);
	// The clock and a person begin it one after the other
	await trx('survey').where({ id }).forUpdate().first('id');
	const run = uuid();
	await trx('survey_run').insert({
		id: run,
		survey_id: id,
		customer_id: customerId,
		by_whom: byWhom,
		ends_at: trx.raw('now() + make_interval(mins => ?)', [minutes])
	});
	await trx.raw(
		`insert into survey_address (run_id, customer_id, address, depth)
		select ?, ?, address, 0 from unnest(?::inet[]) with ordinality as a(address, ordinal) order by ordinal`,
		[run, customerId, seeds.addresses as string[]]
	);
	await trx('survey_run')
		.where({ survey_id: id })
		.whereNotIn(
			'id',
			trx('survey_run').where({ survey_id: id }).orderBy('begun_at', 'desc').limit(KEPT).select('id')
		)
		.delete();
	await notify(trx, 'surveys', customerId, [id]);
	await notify(trx, 'survey-asked', customerId, [run]);
	return done({ count: seeds.addresses.length });
}

/** Ends a survey that is under way: what was found stays. Engineers of the customer may. */
export const cancelSurvey = (id: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const survey = await surveyById(id, trx);
		if (!survey) return refuse('There is no such survey.');
		if (!actor.may('reach units', survey.customerId)) return refuse(NOT_REACHED_BY_YOU);
		const [run] = await trx('survey_run')
			.where({ survey_id: id, state: 'under way' })
			.update({ state: 'cancelled', ended_at: trx.fn.now() })
			.returning('id');
		if (!run) return refuse('It is not under way.');
		await leaveTheRest(trx, run.id, 'Somebody stopped the survey before.');
		await enterInLedger(trx, actor, [aboutSurvey(survey, `Survey “${survey.name}” stopped.`)]);
		await notify(trx, 'surveys', survey.customerId, [id]);
		return done(undefined);
	});

/** What was not come to when a run ended. */
export const leaveTheRest = (trx: Knex, runId: string, words: string): Promise<number> =>
	trx('survey_address')
		.where({ run_id: runId })
		.whereNot({ state: 'done' })
		.update({ state: 'done', outcome: 'not come to', words, at: trx.fn.now(), process_id: null });

/** Forgets a survey and all that it found. Engineers of the customer may. */
export const dropSurvey = (id: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const survey = await surveyById(id, trx);
		if (!survey) return refuse('It is gone already.');
		if (!actor.may('reach units', survey.customerId)) return refuse(NOT_REACHED_BY_YOU);
		await trx('survey').where({ id }).delete();
		await enterInLedger(trx, actor, [
			aboutSurvey(survey, `Survey “${survey.name}” and what it found are forgotten.`)
		]);
		await notify(trx, 'surveys', survey.customerId, [id]);
		return done(undefined);
	});

const coordinate = v.pipe(v.number(), v.finite(), v.minValue(-1e6), v.maxValue(1e6));
export const spotsSchema = v.object({
	spots: v.pipe(
		jsonText,
		v.array(
			v.object({
				kind: v.picklist(['group', 'thing']),
				key: v.pipe(v.string(), v.minLength(1), v.maxLength(400)),
				x: coordinate,
				y: coordinate
			})
		),
		v.maxLength(2000)
	)
});

/** Keeps where somebody dragged things on the drawing; none: all as they are laid out. Engineers of the customer may. */
export const keepSpots = (
	id: string,
	{ spots }: v.InferOutput<typeof spotsSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		const survey = await surveyById(id, trx);
		if (!survey) return refuse('There is no such survey.');
		if (!actor.may('reach units', survey.customerId)) return refuse(NOT_REACHED_BY_YOU);
		if (spots.length === 0) await trx('survey_spot').where({ survey_id: id }).delete();
		else
			await trx('survey_spot')
				.insert(spots.map((spot) => ({ ...spot, survey_id: id, customer_id: survey.customerId })))
				.onConflict(['survey_id', 'kind', 'key'])
				.merge(['x', 'y']);
		return done(undefined);
	});

/** Begins the surveys whose time has come; one that is still under way waits for its next. */
export async function beginWhatIsDue(): Promise<void> {
	const due: { id: string }[] = await database()('survey')
		.where('next_at', '<=', database().fn.now())
		.select('id');
	for (const { id } of due)
		await database().transaction(async (trx) => {
			const [row] = await trx('survey')
				.where({ id })
				.where('next_at', '<=', trx.fn.now())
				.forUpdate()
				.skipLocked()
				.select('every');
			if (!row) return;
			await trx('survey')
				.where({ id })
				.update({ next_at: nextFrom(trx, row.every) });
			const isUnderWay = await trx('survey_run').where({ survey_id: id, state: 'under way' }).first('id');
			if (!isUnderWay) await beginRun(trx, (await surveyById(id, trx))!, 'Limen');
		});
}
