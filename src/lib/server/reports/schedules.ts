import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import {
	isForwards,
	isWithinReach,
	nextSlot,
	recipientsSchema,
	REPORT_CHOICE,
	REPORT_PERIOD,
	RHYTHM_FIELDS,
	slotsDue,
	type Every,
	type Report,
	type Rhythm,
	type Slot
} from '../../../core/report';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, timeNow } from '../database';
import { editNumber, oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { log } from '../log';
import { lostOf } from './kept';
import { toMake } from './make';

type Choice = Omit<Report, 'from' | 'to'>;

/** A report that is sent again and again. */
export interface ReportSchedule extends Rhythm {
	readonly id: string;
	readonly name: string;
	readonly customerId: string | null;
	readonly customer: string | null;
	readonly personId: string;
	readonly statedBy: string;
	readonly choice: Choice;
	readonly recipients: readonly string[];
	readonly isOn: boolean;
	readonly edit: number;
	/** Null: it is off. */
	readonly next: Slot | null;
	/** How its last one went. */
	readonly last: { readonly id: string; readonly state: string; readonly lost: number } | null;
}
interface Row extends Omit<ReportSchedule, 'next'> {
	readonly lastDay: string | null;
}

const MOST = 200;
const read = async (customers: string | null, id: string | null): Promise<readonly ReportSchedule[]> => {
	const { rows } = await database().raw(
		`select s.id, s.name, s.customer_id as "customerId", customer.name as customer, s.person_id as "personId", stated_by as "statedBy", choice, every, on_day as "onDay",
			hour, zone, recipients, is_on as "isOn", s.edit, last_day::text as "lastDay", last.* as last from report_schedule s left join customer on customer.id = s.customer_id
		left join lateral (
			select json_build_object('id', report.id, 'state', state, 'lost', ${lostOf('report.id')}) as last
			from report where schedule_id = s.id order by day desc limit 1
		) last on true
		where ended_at is null and (:id::uuid is null or s.id = :id::uuid) and (:customer::uuid is null or s.customer_id = :customer::uuid) order by lower(s.name), s.id limit ${MOST}`,
		{ id, customer: customers }
	);
	const now = timeNow();
	return (rows as Row[]).map(({ lastDay, ...row }) => ({
		...row,
		next: row.isOn ? nextOf(row, lastDay, now) : null
	}));
};
/** Null also where a zone is known no more: its name went with a newer list of zones. */
function nextOf(rhythm: Rhythm, lastDay: string | null, now: number): Slot | null {
	try {
		return nextSlot(rhythm, lastDay, now);
	} catch {
		return null;
	}
}
/** Those of one customer (null: of all) that whoever asks may see. */
export const reportSchedules = (customerId: string | null) => read(customerId, null);
export const reportScheduleById = async (id: string): Promise<ReportSchedule | null> =>
	(await read(null, id))[0] ?? null;

const many = <Output>(item: v.GenericSchema<string[], Output>) =>
	v.pipe(
		v.optional(v.union([v.string(), v.array(v.string())]), []),
		v.transform((given) => [given].flat()),
		item
	);
const emptyOrId = (words: string) =>
	v.pipe(
		v.optional(v.union([v.literal(''), oneId(words)]), ''),
		v.transform((id) => id || null)
	);
/** What a report tells, as a form gives it. */
const choiceFields = {
	customer: emptyOrId('Choose a customer.'),
	cohort: emptyOrId('Choose a cohort.'),
	parts: many(REPORT_CHOICE.parts),
	figures: many(REPORT_CHOICE.figures)
};
export const reportFormSchema = v.pipe(
	v.object({ ...choiceFields, ...REPORT_PERIOD }),
	isForwards(),
	isWithinReach()
);

export const scheduleFormSchema = v.object({
	/** None: a new one. */
	id: emptyOrId('Which schedule?'),
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(120, 'At most 120 characters.')
	),
	...choiceFields,
	...RHYTHM_FIELDS,
	recipients: recipientsSchema,
	on: v.optional(v.literal('on')),
	edit: v.optional(editNumber, '0')
});

const NOT_YOURS = 'You may not send reports of this.';
const GONE = 'There is no such schedule any more.';
const onDayOf = (every: Every, weekday: number, monthDay: number): number =>
	({ day: 0, week: weekday, month: monthDay })[every];

/**
 * States that a report is sent again and again, and to whom; it tells what whoever stated it last may see. Whoever may send
 * reports of the customer may. Refused: when somebody else has changed it since it was read.
 */
export const saveSchedule = (
	{
		id,
		name,
		customer,
		cohort,
		parts,
		figures,
		every,
		weekday,
		monthDay,
		hour,
		zone,
		recipients,
		on,
		edit
	}: v.InferOutput<typeof scheduleFormSchema>,
	actor: Actor
): Promise<Act<{ readonly id: string }>> =>
	changing(async (trx) => {
		const { personId } = actor;
		if (!personId || !actor.may('send reports', customer)) return refuse(NOT_YOURS);
		if (cohort && !(await trx('cohort').where({ id: cohort, customer_id: customer }).first('id')))
			return refuse('A cohort is one customer’s: choose one of the customer that the report is of.');
		const before = id
			? await trx('report_schedule').where({ id, ended_at: null }).forUpdate().first()
			: undefined;
		if (id && !before) return refuse(GONE);
		if (before && !actor.may('send reports', before.customer_id)) return refuse(NOT_YOURS);
		if (before && before.edit !== edit)
			return refuse('Somebody else has changed this schedule meanwhile. Load the page again to see it.');
		const choice: Choice = { customer, cohort, parts, figures };
		const row = {
			name,
			customer_id: customer,
			person_id: personId,
			stated_by: actor.name,
			choice: JSON.stringify(choice),
			every,
			on_day: onDayOf(every, weekday, monthDay),
			hour,
			zone,
			recipients,
			is_on: id === null || on === 'on',
			since: trx.fn.now(),
			edit: edit + 1
		};
		const scheduleId: string = id ?? uuid();
		if (before) await trx('report_schedule').where({ id: scheduleId }).update(row);
		else {
			const stated = await trx('report_schedule').whereNull('ended_at').count('* as count').first();
			if (Number(stated?.count) >= MOST) return refuse(`There are ${MOST} schedules already.`);
			await trx('report_schedule').insert({ id: scheduleId, ...row });
		}
		const told = { name, parts, every, hour, zone, recipients, on: row.is_on };
		await enterInLedger(trx, actor, [
			{
				act: 'schedule report',
				customerId: customer,
				subjectKind: 'report',
				subjectId: scheduleId,
				words: `The report “${name}” is sent ${{ day: 'daily', week: 'weekly', month: 'monthly' }[every]} to ${recipients.length} addresses${row.is_on ? '' : '; it is off'}.`,
				before: before
					? { name: before.name, parts: before.choice.parts, every: before.every, hour: before.hour, zone: before.zone, recipients: before.recipients, on: before.is_on } // prettier-ignore
					: {},
				after: told
			}
		]);
		await notify(trx, 'reports', customer, []);
		return done({ id: scheduleId });
	});

export const scheduleSchema = v.object({ schedule: oneId('Which schedule?') });

/** Ends a schedule; what it sent is kept. Whoever may send reports of its customer may. */
export const endSchedule = (
	{ schedule: id }: v.InferOutput<typeof scheduleSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		const before = await trx('report_schedule').where({ id, ended_at: null }).forUpdate().first();
		if (!before) return refuse(GONE);
		if (!actor.may('send reports', before.customer_id)) return refuse(NOT_YOURS);
		await trx('report_schedule').where({ id }).update({ ended_at: trx.fn.now() });
		await enterInLedger(trx, actor, [
			{
				act: 'end report schedule',
				customerId: before.customer_id,
				subjectKind: 'report',
				subjectId: id,
				words: `The report “${before.name}” is no longer sent.`
			}
		]);
		await notify(trx, 'reports', before.customer_id, []);
		return done(undefined);
	});

interface Due extends Rhythm {
	readonly id: string;
	readonly lastDay: string | null;
	readonly since: Date;
	readonly choice: Choice;
	readonly recipients: readonly string[];
	readonly personId: string;
	readonly name: string;
}

/**
 * Has every report made that is due by now and was not yet, each once, whichever process is at it, and whatever was down in
 * between. Runs as BOOTSTRAP.
 */
export async function makeWhatIsDue(now = timeNow()): Promise<void> {
	const all: Due[] = await database()('report_schedule')
		.where({ is_on: true, ended_at: null })
		.select({
			id: 'id', every: 'every', onDay: 'on_day', hour: 'hour', zone: 'zone', since: 'since', choice: 'choice', recipients: 'recipients',
			personId: 'person_id', name: 'stated_by', lastDay: database().raw('last_day::text')
		}); // prettier-ignore
	for (const schedule of all)
		try {
			await makeOf(schedule, now);
		} catch (error) {
			// One that cannot be made holds up no other
			log.warn(
				{ schedule: schedule.id, error: (error as Error).message },
				'a report that is due was not begun'
			);
		}
}

async function makeOf(
	{ id, lastDay, since, choice, recipients, personId, name, ...rhythm }: Due,
	now: number
): Promise<void> {
	for (const { day, from, to } of slotsDue(rhythm, lastDay, since.getTime(), now))
		await database().transaction(async (trx) => {
			const asked: Report = { ...choice, from, to };
			await toMake(trx, { asked, zone: rhythm.zone, recipients, schedule: { id, day } }, { personId, name });
			await trx('report_schedule').where({ id }).update({ last_day: day });
		});
}
