import type { Knex } from 'knex';
import { notify } from '../live';

export interface Letter {
	readonly to: string;
	readonly subject: string;
	readonly text: string;
}

/** Lays a letter out in the transaction of the act it tells of; it leaves when that is committed. */
export async function post(trx: Knex, letter: Letter): Promise<void> {
	// A line break in a subject would be a header of the sender's choosing
	const subject = letter.subject.replace(/\s+/g, ' ');
	await trx('mail').insert({ to_address: letter.to, subject, text: letter.text });
	await notify(trx, 'mail', null);
}
