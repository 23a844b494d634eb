import type { Knex } from 'knex';
import type { PersonAct } from '../../../core/people';

/** A request of a program that names a key: it is worked once. */
export interface KeyedRequest {
	readonly tokenId: string;
	readonly key: string;
}

/** Who acts, from where, and what they may. `Limen` itself acts when no person does. */
export interface Actor {
	readonly name: string;
	readonly address: string | null;
	readonly personId?: string | null;
	readonly tokenId?: string | null;
	/** Why, when the person was asked. */
	readonly reason?: string | null;
	/** The request that is worked once, of which this is a part. */
	readonly request?: KeyedRequest | null;
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
		| 'part'
		| 'pack'
		| 'pool'
		| 'pattern'
		| 'site'
		| 'customer'
		| 'key'
		| 'caller'
		| 'person'
		| 'token'
		| 'webhook'
		| 'rollout'
		| 'replacement'
		| 'take-on'
		| 'alert rule'
		| 'survey'
		| 'report'
		| 'connector';
	readonly subjectId: string;
	/** One sentence for people. */
	readonly words: string;
	readonly detail?: Readonly<Record<string, unknown>>;
	/** What the act changed: as it was, and as it is. */
	readonly before?: Readonly<Record<string, unknown>>;
	readonly after?: Readonly<Record<string, unknown>>;
	readonly result?: 'done' | 'refused';
}

/**
 * Writes entries in the transaction of the act they record. They come last in it: from here to the commit
 * nobody else can write one, so that each knows the one before it. What is done for a request with a key is
 * noted for it, so that it is not done again when its answer is lost.
 */
export async function enterInLedger(trx: Knex, actor: Actor, acts: readonly LedgerAct[]): Promise<void> {
	if (acts.length === 0) return;
	const { request } = actor;
	const done = acts.filter(({ result }) => result !== 'refused');
	if (request && done.length > 0)
		await trx('idempotency_done').insert(
			done.map(({ act, subjectId, words, detail }) => ({
				token_id: request.tokenId,
				...{ key: request.key, act, subject_id: subjectId, words, detail: JSON.stringify(detail ?? {}) }
			}))
		);
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
			reason: actor.reason ?? null,
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
	readonly customerName: string | null;
	readonly subjectKind: LedgerAct['subjectKind'];
	readonly subjectId: string;
	readonly words: string;
	readonly before: Readonly<Record<string, unknown>> | null;
	readonly after: Readonly<Record<string, unknown>> | null;
	readonly reason: string | null;
	readonly result: 'done' | 'refused';
}

export interface LedgerFilter {
	readonly customerId?: string | null;
	readonly act?: string | null;
	readonly actor?: string | null;
	/** Any words of an entry. */
	readonly text?: string | null;
	/** One thing: its id. */
	readonly subjectId?: string | null;
	/** Days, both included, as the database's zone has them: YYYY-MM-DD. */
	readonly from?: string | null;
	readonly to?: string | null;
	readonly before?: string | null;
}

const like = (text: string) => `%${text.replace(/[\\%_]/g, '\\$&')}%`;

/** The newest entries first, as far as whoever reads may see them. */
export function readLedger(knex: Knex, filter: LedgerFilter, limit: number): Promise<LedgerEntry[]> {
	const query = knex('ledger_entry')
		.leftJoin('customer', 'customer.id', 'ledger_entry.customer_id')
		.orderBy('ledger_entry.id', 'desc')
		.limit(limit);
	if (filter.customerId) query.where('customer_id', filter.customerId);
	if (filter.act) query.where('act', filter.act);
	if (filter.actor) query.whereILike('actor', like(filter.actor));
	if (filter.text) query.whereILike('words', like(filter.text));
	if (filter.subjectId) query.where('subject_id', filter.subjectId);
	if (filter.from) query.whereRaw('at >= ?::date', [filter.from]);
	if (filter.to) query.whereRaw('at < ?::date + 1', [filter.to]);
	if (filter.before) query.where('ledger_entry.id', '<', filter.before);
	return query.select<LedgerEntry[]>(
		'ledger_entry.id',
		'at',
		'actor',
		knex.raw('host(address) as address'),
		'act',
		'customer.name as customerName',
		'subject_kind as subjectKind',
		'subject_id as subjectId',
		'words',
		'before',
		'after',
		'reason',
		'result'
	);
}

/** Every act that whoever reads may see an entry of, by name. */
export const ledgerActs = async (knex: Knex): Promise<string[]> =>
	(await knex('ledger_entry').distinct('act').orderBy('act')).map((row: { act: string }) => row.act);

/** The filter that an address asks for; what makes no sense in it is left out. */
export function ledgerFilter(url: URL, customerId: string | null): LedgerFilter {
	const given = (name: string) => url.searchParams.get(name)?.trim().slice(0, 100) || null;
	const matching = (name: string, form: RegExp) => {
		const value = given(name);
		return value && form.test(value) ? value : null;
	};
	const DAY =
		/^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d)$|^\d{4}-(0[13-9]|1[0-2])-30$|^\d{4}-(0[13578]|1[02])-31$/;
	return {
		customerId,
		act: given('act'),
		actor: given('who'),
		text: given('text'),
		subjectId: matching('unit', /^[0-9a-f-]{36}$/) ?? matching('thing', /^[0-9a-z-]{1,64}$/i),
		from: matching('from', DAY),
		to: matching('to', DAY),
		before: matching('before', /^\d{1,18}$/)
	};
}
