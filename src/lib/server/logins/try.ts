import type { Knex } from 'knex';
import * as v from 'valibot';
import { parseAddress } from '../../../core/address';
import { failedBehind, TRY_WORDS, type TryOutcome } from '../../../core/login';
import type { Talk } from '../../../core/pack';
import { maskSecrets } from '../../../core/profile';
import { cleanText, counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import {
	chosenLogin,
	Dialogue,
	NOT_REACHED_BY_YOU,
	portField,
	unsealedLogin,
	type Over,
	type TriedAt
} from '../connections';
import { apartFromTransaction, BOOTSTRAP, database, runAs } from '../database';
import { oneId } from '../forms';
import { beginLongWork, onLongWork } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';
import { talkOf } from '../packs';
import { enterWith } from './enter';

const MOST_ADDRESSES = 500;
export const triesSchema = v.object({
	customer: oneId('Choose the customer.'),
	/** None: that of the login. */
	port: v.union([
		v.pipe(
			v.literal(''),
			v.transform(() => null)
		),
		portField
	]),
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
					about: { customer, address, port: String(at ?? '') }
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
				words: `Logins tried at ${counted(addresses.length, 'address', 'addresses')}.`
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
	const unit = await trx('unit_reach')
		.join('unit', 'unit.id', 'unit_id')
		.where({ 'unit_reach.customer_id': customer, address, ...(at && { port: at }) })
		.first('model_id', 'maker_id');
	const login = await chosenLogin(trx, customer!, address!, unit?.model_id ?? null);
	if (!login) return refuse('None of the customer’s logins is for this address.');
	const place: TriedAt = { customerId: customer!, address: address!, port: Number(at || login.port) };
	const tried = await apartFromTransaction(() =>
		runAs(BOOTSTRAP, async (): Promise<TriedBehind> => {
			const { entered, tried: first, tryId } = await enterWith(place, login);
			if (!entered) return first;
			try {
				const talk = unit ? await talkOf(unit.maker_id, unit.model_id) : null;
				return (talk && (await triedBehind(entered, talk, login.id, tryId))) ?? first;
			} finally {
				entered.close();
			}
		})
	);
	const words = `With “${login.name}”: ${tried.words}`;
	return tried.outcome === 'in' ? done(words) : refuse(words);
}

interface TriedBehind {
	readonly outcome: TryOutcome;
	readonly words: string;
}
/** What goes wrong behind the login of a unit whose model is known, noted with the try: raising privileges, or its prompt. Null: neither. */
async function triedBehind(
	over: Over,
	talk: Talk,
	loginId: string,
	tryId: string
): Promise<TriedBehind | null> {
	const { privileges = null } = await unsealedLogin(database(), loginId);
	const dialogue = new Dialogue(over, talk, () => Promise.resolve(privileges));
	try {
		await dialogue.read('serial');
		return null;
	} catch (error) {
		const { message } = error as Error;
		const outcome = failedBehind(message);
		if (outcome === null) return null;
		const words = `${TRY_WORDS[outcome]} (${cleanText(maskSecrets(message)).slice(0, 300)})`;
		await database()('login_try').where({ id: tryId }).update({ behind: outcome, words });
		return { outcome, words };
	} finally {
		await dialogue.end();
	}
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
		`select t.customer_id as "customerId", customer.name as "customerName", host(address) as address, port, login_name as login, at, coalesce(behind, outcome) as outcome, words
		from (select distinct on (customer_id, address, port) * from login_try
			where ?::uuid is null or customer_id = ?::uuid order by customer_id, address, port, at desc) t
		join customer on customer.id = t.customer_id order by at desc limit 200`,
		[customerId, customerId]
	);
	return rows;
}
