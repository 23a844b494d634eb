import type { Knex } from 'knex';
import type { PersonAct } from '../../../core/people';

/** Who acts, from where, and what they may. `Limen` itself acts when no person does. */
export interface Actor {
	readonly name: string;
	readonly address: string | null;
	readonly personId?: string | null;
	readonly tokenId?: string | null;
	/** Whether they may do an act for a customer, or (null) on what the firm shares. */
	may(act: PersonAct, customerId: string | null): boolean;
}
export const LIMEN: Actor = { name: 'Limen', address: null, may: () => true };

export interface LedgerAct {
	readonly act: string;
	readonly customerId: string | null;
	readonly subjectKind:
		| 'unit'
		| 'position'
		| 'run'
		| 'batch'
		| 'image'
		| 'profile'
		| 'site'
		| 'customer'
		| 'caller'
		| 'person'
		| 'token';
	readonly subjectId: string;
	/** One sentence for people. */
	readonly words: string;
	readonly detail?: Readonly<Record<string, unknown>>;
	/** What the act changed: as it was, and as it is. */
	readonly before?: Readonly<Record<string, unknown>>;
	readonly after?: Readonly<Record<string, unknown>>;
	/** Why, when the person was asked. */
	readonly reason?: string;
	readonly result?: 'done' | 'refused';
}

/**
 * Writes entries in the transaction of the act they record. They come last in it: from here to the commit
 * nobody else can write one, so that each knows the one before it.
 */
export async function enterInLedger(trx: Knex, actor: Actor, acts: readonly LedgerAct[]): Promise<void> {
	if (acts.length === 0) return;
	await trx('ledger_entry').insert(
		acts.map((one) => ({
			actor: actor.name,
			address: actor.address,
			person_id: actor.personId ?? null,
			token_id: actor.tokenId ?? null,
			act: one.act,
			customer_id: one.customerId,
			subject_kind: one.subjectKind,
			subject_id: one.subjectId,
			words: one.words,
			detail: JSON.stringify(one.detail ?? {}),
			before: one.before ? JSON.stringify(one.before) : null,
			after: one.after ? JSON.stringify(one.after) : null,
			reason: one.reason ?? null,
			result: one.result ?? 'done'
		}))
	);
}

export interface LedgerEntry {
	readonly id: string;
	readonly at: Date;
	readonly actor: string;
	readonly address: string | null;
	readonly act: string;
	readonly subjectKind: LedgerAct['subjectKind'];
	readonly subjectId: string;
	readonly words: string;
}

/** The newest entries first, older than `before` when given. */
export async function readLedger(
	knex: Knex,
	filter: { customerId?: string | null; act?: string | null; before?: string | null; limit: number }
): Promise<LedgerEntry[]> {
	const query = knex('ledger_entry').orderBy('id', 'desc').limit(filter.limit);
	if (filter.customerId) query.where('customer_id', filter.customerId);
	if (filter.act) query.where('act', filter.act);
	if (filter.before) query.where('id', '<', filter.before);
	return query.select(
		'id',
		'at',
		'actor',
		'address',
		'act',
		'subject_kind as subjectKind',
		'subject_id as subjectId',
		'words'
	);
}

/** Every act that has been recorded, by name. */
export const ledgerActs = async (knex: Knex): Promise<string[]> =>
	(await knex('ledger_entry').distinct('act').orderBy('act')).map((row: { act: string }) => row.act);
