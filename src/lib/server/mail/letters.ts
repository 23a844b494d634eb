import type { Knex } from 'knex';

export interface Letter {
	readonly to: string;
	readonly subject: string;
	readonly text: string;
	/** The report that is attached. */
	readonly reportId?: string;
}

/** The job of one letter; a trigger of the database names it too. */
export const SEND_LETTER = 'send a letter';

/** Lays a letter out in the transaction of the act it tells of; it leaves when that is committed. */
export async function post(trx: Knex, letter: Letter): Promise<void> {
	// A line break in a subject would be a header of the sender's choosing
	const subject = letter.subject.replace(/\s+/g, ' ');
	// The database itself enqueues it: who may write a letter may not read any, not even its own
	await trx('mail').insert({
		to_address: letter.to,
		subject,
		text: letter.text,
		...(letter.reportId && { report_id: letter.reportId })
	});
}
