import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { parseAddress } from '../../../core/address';
import { MOST_REFUSALS, TRY_WORDS, type TryOutcome } from '../../../core/login';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import {
	chosenLogin,
	NOT_REACHED_BY_YOU,
	portField,
	tryLoginAt,
	unsealedLogin,
	type Tried,
	type TriedAt
} from '../connections';
import { apartFromTransaction, BOOTSTRAP, database, runAs } from '../database';
import { oneId } from '../forms';
import { beginLongWork, onLongWork } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';

const MOST_ADDRESSES = 500;
export const triesSchema = v.object({
	customer: oneId('Choose the customer.'),
	port: portField,
	addresses: v.pipe(
		v.string('At which addresses?'),
		v.maxLength(50_000),
		v.transform((typed) => [...new Set(typed.split(/[\s,;]+/).filter(Boolean))]),
		v.minLength(1, 'At which addresses?'),
		v.maxLength(MOST_ADDRESSES, `At most ${MOST_ADDRESSES} addresses at once.`),
		v.check((all) => all.every((one) => parseAddress(one) !== null), 'One of these is no address.')
	)
});

const TRY = 'try logins';

/** Tries at each address the login that it would use, as long work. Engineers of the customer may. */
export const tryLogins = (
	{ customer, port: at, addresses }: v.InferOutput<typeof triesSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		if (!actor.may('reach units', customer)) return refuse(NOT_REACHED_BY_YOU);
		const work = await beginLongWork(
			trx,
			{
				kind: TRY,
				title: `Try logins at ${counted(addresses.length, 'address', 'addresses')}`,
				things: addresses.map((address) => ({
					customerId: customer,
					subject: address,
					about: { customer, address, port: String(at) }
				}))
			},
			actor
		);
		if (!work.ok) return work;
		await enterInLedger(trx, actor, [
			{
				act: 'try logins',
				customerId: customer,
				subjectKind: 'customer',
				subjectId: customer,
				words: `Logins tried at ${counted(addresses.length, 'address', 'addresses')}, port ${at}.`
			}
		]);
		return done({ count: addresses.length });
	});

export const startTrying = (): void => onLongWork(TRY, tryOne);

/** What came of it is kept whether it failed or not: it counts against the account that could be locked. */
async function tryOne(
	trx: Knex,
	{ customer, address, port: at }: Readonly<Record<string, string>>,
	actor: Actor
): Promise<Act<string>> {
	if (!actor.may('reach units', customer!)) return refuse(NOT_REACHED_BY_YOU);
	const place: TriedAt = { customerId: customer!, address: address!, port: Number(at) };
	const unit = await trx('unit_reach')
		.join('unit', 'unit.id', 'unit_id')
		.where({ 'unit_reach.customer_id': customer, address, port: place.port })
		.first('model_id');
	const login = await chosenLogin(trx, place.customerId, place.address, unit?.model_id ?? null);
	if (!login) return refuse('None of the customer’s logins is for this address.');
	const tried = await apartFromTransaction(() => runAs(BOOTSTRAP, () => tryAndNote(place, login)));
	const words = `With “${login.name}”: ${tried.words}`;
	return tried.outcome === 'in' ? done(words) : refuse(words);
}

async function tryAndNote(
	place: TriedAt,
	{ id, name }: { readonly id: string; readonly name: string }
): Promise<Tried> {
	const where = { customer_id: place.customerId, address: place.address, port: place.port };
	const refused = await database()('login_try')
		.where({ ...where, outcome: 'login' })
		.whereRaw(`at > now() - interval '1 hour'`)
		.count({ count: '*' })
		.first();
	const tried: Tried =
		Number(refused?.count) >= MOST_REFUSALS
			? { outcome: 'held back', words: TRY_WORDS['held back'] }
			: await tryLoginAt(place, await unsealedLogin(database(), id));
	await database()('login_try').insert({
		...where,
		id: uuid(),
		login_name: name,
		outcome: tried.outcome,
		words: tried.words
	});
	return tried;
}

/** What came of the last try at each address. */
export interface ShownTry {
	readonly customerId: string;
	readonly customerName: string;
	readonly address: string;
	readonly port: number;
	readonly login: string;
	readonly at: Date;
	readonly outcome: TryOutcome;
	readonly words: string;
}
export async function lastTries(customerId: string | null): Promise<ShownTry[]> {
	const { rows } = await database().raw(
		`select t.customer_id as "customerId", customer.name as "customerName", host(address) as address, port, login_name as login, at, outcome, words
		from (select distinct on (customer_id, address, port) * from login_try
			where ?::uuid is null or customer_id = ?::uuid order by customer_id, address, port, at desc) t
		join customer on customer.id = t.customer_id order by at desc limit 200`,
		[customerId, customerId]
	);
	return rows;
}
