import type { Knex } from 'knex';
import { refuse, type Act, type Refusal } from './act';
import { database, isRefusal } from './database';

/** Takes back what a transaction has done so far, for a reason that a person is told. */
export class TakenBack extends Error {
	constructor(readonly refusal: Refusal) {
		super(refusal.problem);
	}
}

export const MEANWHILE = 'Somebody changed this meanwhile. Look again; nothing was done.';

/**
 * One act, one transaction: thrown `TakenBack`s take it back and become its refusal, and so do refusals of
 * the database, in the words of their constraint.
 */
export async function changing<Done>(
	work: (trx: Knex) => Promise<Act<Done>>,
	words: Readonly<Record<string, string>> = {},
	otherwise = MEANWHILE
): Promise<Act<Done>> {
	try {
		return await database().transaction(work);
	} catch (error) {
		if (error instanceof TakenBack) return error.refusal;
		if (!isRefusal(error)) throw error;
		return refuse(words[error.constraint ?? ''] ?? otherwise);
	}
}
