import { v7 as uuid } from 'uuid';
import type { Knex } from 'knex';
import type { Report, ReportDocument } from '../../../core/report';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, enqueue, runAs } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { log } from '../log';
import { post } from '../mail';
import { actorById } from '../people';
import { currentSettings, publicUrl } from '../settings';
import { GivenUp, offMainThread, task } from '../threads';
import { gather, zoneOf, type Told } from './gather';
import type { Unwritten, Written } from './write';

/** The job of one report. */
export const MAKE_REPORT = 'make a report';

const SHOW = task<Unwritten, ReportDocument>('showReport');
const WRITE = task<Unwritten, Written>('writeReport');
const LONGEST_MS = 10 * 60_000;
/** A page shows fewer than that, and says how many more there are up to here. */
const MOST_IN_PREVIEW = 1_000;

/** A report as it will be, to look at. As whoever reads it may see; null: there is no such customer for them, or no such cohort. */
export async function previewReport(report: Report, told: Told): Promise<ReportDocument | null> {
	const unwritten = await gather(report, await zoneOf(report.customer), told, MOST_IN_PREVIEW);
	return unwritten && offMainThread(SHOW, unwritten);
}

/** Days after which a report goes that was made for oneself. */
const OWN_DAYS = 90;
/** Of what is about every customer; each customer has a term of its own. */
const FIRMS_YEARS = 3;
const keptFor = (trx: Knex, customerId: string | null) =>
	trx.raw(
		`(now() + make_interval(years => coalesce((select term_years from customer where id = ?::uuid), ${FIRMS_YEARS})))::date`,
		[customerId]
	);

export interface ToMake {
	readonly asked: Report;
	readonly zone: string;
	/** By letter, when it is made; none: it is there to be taken away. */
	readonly recipients: readonly string[];
	readonly schedule?: { readonly id: string; readonly day: string };
}
/** Has a report made beside the requests, in the transaction of what wants it. False: that of this schedule and day is there. */
export async function toMake(
	trx: Knex,
	{ asked, zone, recipients, schedule }: ToMake,
	{ personId, name }: { readonly personId: string; readonly name: string }
): Promise<string | null> {
	const id = uuid();
	const made = await trx.raw(
		`insert into report (id, schedule_id, day, customer_id, person_id, asked_by, asked, zone, recipients, keep_until)
		values (:id, :schedule, :day, :customer, :personId, :name, :asked, :zone, :recipients, :keep) on conflict (schedule_id, day) do nothing`,
		{
			id,
			schedule: schedule?.id ?? null,
			day: schedule?.day ?? null,
			customer: asked.customer,
			personId,
			name,
			asked: JSON.stringify(asked),
			zone,
			recipients: [...recipients],
			keep: schedule ? keptFor(trx, asked.customer) : trx.raw(`current_date + ${OWN_DAYS}`)
		}
	);
	if (made.rowCount === 0) return null;
	await enqueue(trx, MAKE_REPORT, { report: id }, { key: `${MAKE_REPORT} ${id}` });
	await notify(trx, 'reports', asked.customer, [id]);
	return id;
}

/** Has a report made, for oneself to take away. Whoever sees the customer may; what they may not know is not in it. */
export async function askForReport(asked: Report, actor: Actor): Promise<Act<{ readonly id: string }>> {
	const { personId } = actor;
	if (!personId || !actor.may('see', asked.customer)) return refuse('You may not see this customer.');
	const zone = await zoneOf(asked.customer);
	return changing(async (trx) => {
		const id = await toMake(trx, { asked, zone, recipients: [] }, { personId, name: actor.name });
		await enterInLedger(trx, actor, [
			{
				act: 'make report',
				customerId: asked.customer,
				subjectKind: 'report',
				subjectId: id!,
				words: `A report of ${asked.from} to ${asked.to} was asked for.`,
				detail: { parts: asked.parts }
			}
		]);
		return done({ id: id! });
	});
}

interface Row {
	readonly id: string;
	readonly schedule_id: string | null;
	readonly customer_id: string | null;
	readonly person_id: string;
	readonly asked_by: string;
	readonly asked: Report;
	readonly zone: string;
	readonly recipients: readonly string[];
}

/** One report's turn, as BOOTSTRAP; what it tells is read as whoever asked for it. Rejects when it is to be tried again. */
export async function makeReport(id: string, { last }: { readonly last: boolean }): Promise<void> {
	const row: Row | undefined = await database()('report').where({ id, state: 'waiting' }).first();
	if (!row) return;
	try {
		const made = await written(row);
		if (typeof made === 'string') await failed(row, made);
		else await keep(row, made);
	} catch (error) {
		if (error instanceof GivenUp)
			return failed(row, 'It is too large to be made. Choose fewer parts, one customer, or a cohort.');
		if (last) {
			log.error({ report: id, error: (error as Error).message }, 'a report could not be made');
			return failed(row, 'Limen could not make it. The log of Limen says more.');
		}
		throw error;
	}
}

/** The report; or why there can be none. */
async function written({ person_id, asked_by, asked, zone, schedule_id }: Row): Promise<Written | string> {
	const { customer } = asked;
	const actor = await actorById(person_id, asked_by, null);
	if (!actor.may(schedule_id === null ? 'see' : 'send reports', customer))
		return `${asked_by} may not have reports of this any more.`;
	const told = {
		records: actor.may('see records', customer),
		renderings: actor.may('see renderings', customer)
	};
	const unwritten = await runAs({ kind: 'person', personId: person_id }, () => gather(asked, zone, told));
	return unwritten ? writtenOut(unwritten) : 'There is no such customer or cohort any more.';
}

/** A report with its files, beside the main thread. */
export const writtenOut = (unwritten: Unwritten): Promise<Written> =>
	offMainThread(WRITE, unwritten, LONGEST_MS);

/** With its letters, in one transaction: a kill before its end makes it anew, one after it sends nothing twice. */
const keep = (row: Row, { shown, ...files }: Written): Promise<void> =>
	database().transaction(async (trx) => {
		const kept = await trx('report')
			.where({ id: row.id, state: 'waiting' })
			.update({ state: 'made', made_at: trx.fn.now(), document: JSON.stringify(shown) });
		if (kept === 0) return;
		await trx('report_file').insert(
			Object.entries(files).map(([kind, content]) => ({
				report_id: row.id,
				kind,
				content: Buffer.from(content)
			}))
		);
		await writeLetters(trx, { id: row.id, shown, recipients: row.recipients });
		await notify(trx, 'reports', row.customer_id, [row.id]);
	});

/** A letter with the report for each, in the transaction of the act that sends it. */
export async function writeLetters(
	trx: Knex,
	{
		id,
		shown,
		recipients
	}: { readonly id: string; readonly shown: ReportDocument; readonly recipients: readonly string[] }
): Promise<void> {
	for (const to of recipients)
		await post(trx, {
			to,
			subject: `${shown.customer}: ${shown.title.toLowerCase()}, ${shown.subtitle.split(',')[0]}`,
			text: `${shown.customer}: ${shown.title.toLowerCase()}, ${shown.subtitle}.\n\nTo read it is attached as PDF, its figures as XLSX. It is kept here:\n${publicUrl(currentSettings())}/records/reports/${id}\n`,
			reportId: id
		});
}

/** That there is none, and whoever asked for it is told by letter, who may not be at the page. */
const failed = (row: Row, problem: string): Promise<void> =>
	database().transaction(async (trx) => {
		const noted = await trx('report')
			.where({ id: row.id, state: 'waiting' })
			.update({ state: 'failed', problem: problem.slice(0, 500) });
		if (noted === 0) return;
		await notify(trx, 'reports', row.customer_id, [row.id]);
		if (row.schedule_id === null) return;
		const { rows } = await trx.raw('select email from limen_person_by_id(?)', [row.person_id]);
		const [person] = rows as { email: string }[];
		if (person)
			await post(trx, {
				to: person.email,
				subject: `A report could not be made: ${row.asked.from} to ${row.asked.to}`,
				text: `${problem}\n\n${publicUrl(currentSettings())}/records/reports/${row.id}\n`,
				reportId: row.id
			});
	});

/** Prolongs how long a report is kept to its customer's term: it was sent to somebody. */
export const keepForTerm = (trx: Knex, id: string, customerId: string | null): Promise<unknown> =>
	trx('report')
		.where({ id })
		.update({ keep_until: keptFor(trx, customerId) });

/** Every report that is waited for has its job: the queue is not backed up. Runs as BOOTSTRAP. */
export async function adoptReports(): Promise<void> {
	const waiting: { id: string }[] = await database()('report').where({ state: 'waiting' }).select('id');
	for (const { id } of waiting)
		await enqueue(database(), MAKE_REPORT, { report: id }, { key: `${MAKE_REPORT} ${id}` });
}
