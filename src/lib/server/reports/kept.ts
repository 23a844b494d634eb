import * as v from 'valibot';
import {
	recipientsSchema,
	reportFileName,
	type Report,
	type ReportDocument,
	type ReportFile
} from '../../../core/report';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { keepForTerm, writeLetters } from './make';

/** A report that was made, or is being made. */
export interface KeptReport {
	readonly id: string;
	readonly customerId: string | null;
	readonly customer: string | null;
	/** What it was made for; null: by hand. */
	readonly schedule: string | null;
	readonly scheduleId: string | null;
	readonly asked: Report;
	readonly askedBy: string;
	readonly askedAt: Date;
	readonly state: 'waiting' | 'made' | 'failed';
	readonly problem: string;
	readonly keepUntil: string;
	/** To how many addresses it went, and to how many it could not. */
	readonly sent: number;
	readonly lost: number;
}

/** To how many addresses a report did not come, not with a later letter either. */
export const lostOf = (report: string): string => `(
	select count(distinct lower(to_address))::int from mail where report_id = ${report} and sent_at is null and given_up_at is not null
		and not exists (select from mail later where later.report_id = ${report} and lower(later.to_address) = lower(mail.to_address) and later.sent_at is not null))`;

const KEPT_AT_ONCE = 50;
const KEPT = `select report.id, report.customer_id as "customerId", customer.name as customer, schedule.name as schedule, schedule.id as "scheduleId", asked, asked_by as "askedBy",
	asked_at as "askedAt", state, problem, keep_until::text as "keepUntil",
	(select count(*)::int from mail where report_id = report.id and sent_at is not null) as sent, ${lostOf('report.id')} as lost
	from report left join customer on customer.id = report.customer_id left join report_schedule schedule on schedule.id = report.schedule_id`;

/** Those of one customer (null: of all), or of one schedule, that whoever asks may see: the last first. */
export async function keptReports({
	customerId = null,
	scheduleId = null
}: {
	readonly customerId?: string | null;
	readonly scheduleId?: string | null;
}): Promise<readonly KeptReport[]> {
	const { rows } = await database().raw(
		`${KEPT} where (:customer::uuid is null or report.customer_id = :customer::uuid) and (:schedule::uuid is null or schedule_id = :schedule::uuid)
		order by asked_at desc, report.id desc limit ${KEPT_AT_ONCE}`,
		{ customer: customerId, schedule: scheduleId }
	);
	return rows;
}

const LOST_DAYS = 7;
/** Regular reports of the last week that were not made, or did not come to somebody: of these customers (null: of all), the last first. */
export async function lostReports(
	customers: readonly string[] | null,
	most: number
): Promise<readonly KeptReport[]> {
	const { rows } = await database().raw(
		`select * from (
			${KEPT} where schedule_id is not null and asked_at > now() - interval '${LOST_DAYS} days' and (:customers::uuid[] is null or report.customer_id = any (:customers::uuid[]))
		) kept where state = 'failed' or lost > 0 order by "askedAt" desc limit :most`,
		{ customers: customers && [...customers], most }
	);
	return rows;
}

/** To whom a report goes, or went. */
export interface ReportLetter {
	readonly to: string;
	readonly writtenAt: Date;
	readonly sentAt: Date | null;
	readonly givenUpAt: Date | null;
	readonly problem: string | null;
}

/** One report with what it tells and to whom it went; null where there is none that whoever asks may see. */
export async function keptReport(
	id: string
): Promise<
	| (KeptReport & { readonly document: ReportDocument | null; readonly letters: readonly ReportLetter[] })
	| null
> {
	const { rows } = await database().raw(`${KEPT} where report.id = ?`, [id]);
	const [kept] = rows as KeptReport[];
	if (!kept) return null;
	const { document } = await database()('report').where({ id }).first('document');
	const letters: ReportLetter[] = await database()('mail').where({ report_id: id }).orderBy('id').select({
		to: 'to_address',
		writtenAt: 'written_at',
		sentAt: 'sent_at',
		givenUpAt: 'given_up_at',
		problem: 'problem'
	});
	return { ...kept, document, letters };
}

/** A file of a report as it was made; null where there is none that whoever asks may see. */
export async function reportFile(
	id: string,
	kind: ReportFile
): Promise<{ readonly content: Buffer; readonly name: string } | null> {
	const row = await database()('report_file')
		.join('report', 'report.id', 'report_id')
		.where({ report_id: id, kind })
		.first('content', 'asked');
	return row ? { content: row.content, name: `${reportFileName(row.asked)}.${kind}` } : null;
}

export const sendingSchema = v.object({ report: oneId('Which report?'), recipients: recipientsSchema });

/** Sends a report that is kept, as it was made, to somebody. Whoever may send reports of its customer may. */
export const sendReport = (
	{ report: id, recipients }: v.InferOutput<typeof sendingSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const report = await trx('report').where({ id }).first('customer_id', 'state', 'document');
		if (!report) return refuse('There is no such report any more.');
		if (!actor.may('send reports', report.customer_id)) return refuse('You may not send reports of this.');
		if (report.state !== 'made') return refuse('It is not made yet.');
		await keepForTerm(trx, id, report.customer_id);
		await writeLetters(trx, { id, shown: report.document, recipients });
		await enterInLedger(trx, actor, [
			{
				act: 'send report',
				customerId: report.customer_id,
				subjectKind: 'report',
				subjectId: id,
				words: `A report (${report.document.subtitle}) was sent to ${recipients.length} addresses.`,
				detail: { recipients }
			}
		]);
		await notify(trx, 'reports', report.customer_id, [id]);
		return done({ count: recipients.length });
	});
