import { createTransport, type Transporter } from 'nodemailer';
import { database, enqueue } from '../database';
import { notify } from '../live';
import { log } from '../log';
import { currentSettings } from '../settings';
import { REPORT_FILES, reportFileName, type Report } from '../../../core/report';
import { SEND_LETTER } from './letters';

/**
 * Sends letters over SMTP, outside of any transaction. One that could not be sent is tried again by the queue,
 * also after a restart; one that was being sent when the power went may arrive twice. After its last try it
 * is given up, and an administrator is told.
 */
let transport: Transporter | undefined;
const transporter = (): Transporter | null => {
	const { LIMEN_SMTP_URL } = currentSettings();
	return LIMEN_SMTP_URL ? (transport ??= createTransport(LIMEN_SMTP_URL)) : null;
};

export function stopMail(): void {
	transport?.close();
	transport = undefined;
}

/** Letters that are being sent from here: two jobs of one letter, as when it is let go anew while it is tried, send it once. */
const underWay = new Map<string, Promise<void>>();

/** One letter's turn. Rejects when it could not be sent: it is tried again, unless this was the last time. */
export async function sendLetter(id: string, attempt: { readonly last: boolean }): Promise<void> {
	await underWay.get(id)?.catch(() => undefined);
	const turn = send(id, attempt);
	underWay.set(id, turn);
	await turn.finally(() => underWay.get(id) === turn && underWay.delete(id));
}

async function send(id: string, { last }: { readonly last: boolean }): Promise<void> {
	const by = transporter();
	const letter = await database()('mail').where({ id }).whereNull('sent_at').whereNull('given_up_at').first();
	// Without a mail server it waits for one: whoever starts Limen with it has it sent
	if (!letter || !by) return;
	const attempts = letter.attempts + 1;
	try {
		await by.sendMail({
			from: currentSettings().LIMEN_MAIL_FROM,
			to: letter.to_address,
			subject: letter.subject,
			text: letter.text,
			attachments: letter.report_id ? await reportAttached(letter.report_id) : []
		});
	} catch (error) {
		const problem = (error as Error).message.slice(0, 500);
		log.warn({ letter: id, attempts, error: problem }, 'a letter could not be sent');
		await database()('mail')
			.where({ id })
			.update({ attempts, problem, ...(last && { given_up_at: database().fn.now() }) });
		if (letter.report_id) await tellOfReport(letter.report_id);
		throw error;
	}
	// The words hold a link that opens a door: they are not kept once they have left
	await database()('mail')
		.where({ id })
		.update({ attempts, sent_at: database().fn.now(), text: '', problem: null });
	if (letter.report_id) await tellOfReport(letter.report_id);
}

/** Whoever looks at a report sees where its letters are. */
async function tellOfReport(id: string): Promise<void> {
	const report = await database()('report').where({ id }).first('customer_id');
	if (report) await notify(database(), 'reports', report.customer_id, [id]);
}

/** Mail servers turn away what is larger. */
const LARGEST_ATTACHED = 8 * 1024 * 1024;

/** A report to read and its figures, as they were made; what is too large for a letter is where its words say. */
async function reportAttached(
	reportId: string
): Promise<{ readonly filename: string; readonly content: Buffer; readonly contentType: string }[]> {
	const files: { kind: 'pdf' | 'xlsx'; content: Buffer; asked: Report }[] = await database()('report_file')
		.join('report', 'report.id', 'report_id')
		.where({ report_id: reportId })
		.whereIn('kind', ['pdf', 'xlsx'])
		.whereRaw('length(content) <= ?', [LARGEST_ATTACHED])
		.orderBy('kind')
		.select('kind', 'content', 'asked');
	return files.map(({ kind, content, asked }) => ({
		filename: `${reportFileName(asked)}.${kind}`,
		content,
		contentType: REPORT_FILES[kind]
	}));
}

/** Every letter that waits has its job: after a restart, and after a backup was brought back. */
export async function adoptLetters(): Promise<void> {
	const waiting: { id: string }[] = await database()('mail')
		.whereNull('sent_at')
		.whereNull('given_up_at')
		.select('id');
	for (const { id } of waiting)
		await enqueue(database(), SEND_LETTER, { letter: String(id) }, { key: `letter ${id}` });
}

/** Has a letter that was given up sent all the same. */
export async function sendAgain(id: string): Promise<void> {
	await database().transaction(async (trx) => {
		const again = await trx('mail').where({ id }).whereNull('sent_at').update({ given_up_at: null });
		if (again > 0) await enqueue(trx, SEND_LETTER, { letter: id }, { key: `letter ${id}` });
	});
}

export interface LostLetter {
	readonly id: string;
	readonly to: string;
	readonly subject: string;
	readonly problem: string;
	readonly givenUpAt: Date;
}
/** Letters that nobody got, the last first. */
export const lostLetters = (): Promise<LostLetter[]> =>
	database()('mail')
		.whereNotNull('given_up_at')
		.whereNull('sent_at')
		.orderBy('given_up_at', 'desc')
		.limit(100)
		.select('id', 'to_address as to', 'subject', 'problem', 'given_up_at as givenUpAt');
