import pLimit, { type LimitFunction } from 'p-limit';
import { v7 as uuid } from 'uuid';
import { heldBackWords, type ChosenLogin } from '../../../core/login';
import {
	enterAt,
	failedTry,
	HeldBack,
	letIn,
	unsealedLogin,
	type Entered,
	type Tried,
	type TriedAt
} from '../connections';
import { database } from '../database';

/** What is known of an address and a login, within the last hour. */
interface Lately {
	readonly atAddress: number;
	readonly inARow: number;
	/** Whether the login was taken when it was shown last. */
	readonly isGood: boolean;
}

/**
 * Logs in at an address with a kept login, as far as that locks no account, and notes what came of it. A login that is not known
 * to be good is shown at one address at a time, and once it was refused too often nowhere; so at most those that were at it at the
 * same moment are refused beyond that. Whoever is let in closes the connection.
 */
export async function enterWith(
	place: TriedAt,
	{ id, name }: Pick<ChosenLogin, 'id' | 'name'>
): Promise<{ readonly tried: Tried; readonly entered: Entered | null; readonly tryId: string }> {
	let leave: () => void = () => undefined;
	let now = await lately(place, id);
	const knock = async () => {
		if (now.isGood) return;
		leave = await turnOf(id);
		now = await lately(place, id);
		if (now.isGood) leave();
		const held = heldBackWords(now);
		if (held !== null) throw new HeldBack(held);
	};
	const tryId = uuid();
	let tried: Tried;
	let entered: Entered | null = null;
	try {
		// What is refused already is not knocked at, nor is a connection opened for it
		const held = heldBackWords(now);
		if (held !== null) throw new HeldBack(held);
		entered = await enterAt(place, await unsealedLogin(database(), id), knock);
		tried = letIn;
	} catch (error) {
		tried = failedTry(error as Error);
	}
	try {
		await note(tryId, place, name, tried);
	} finally {
		leave();
	}
	return { tried, entered, tryId };
}

const note = (id: string, { customerId, address, port }: TriedAt, login: string, { outcome, words }: Tried) =>
	database()('login_try').insert({
		id,
		customer_id: customerId,
		address,
		port,
		login_name: login,
		outcome,
		words
	});

async function lately({ customerId, address, port }: TriedAt, loginId: string): Promise<Lately> {
	const { rows } = await database().raw(
		`with tries as (
			select t.address, t.port, t.outcome, t.at, login.id is not null as is_own from login_try t
			-- what came before the login was changed says nothing of it
			left join login on login.id = :loginId and login.name = t.login_name and t.at > login.changed_at
			where t.customer_id = :customerId and t.outcome in ('in', 'login') and t.at > now() - interval '1 hour'
		), own as (
			select * from tries where is_own
		)
		select (select count(*)::int from tries where address = :address and port = :port and outcome = 'login') as "atAddress",
			(select count(*)::int from own where outcome = 'login' and at > coalesce((select max(at) from own where outcome = 'in'), '-infinity')) as "inARow",
			coalesce((select outcome = 'in' from own order by at desc limit 1), false) as "isGood"`,
		{ customerId, address, port, loginId }
	);
	return rows[0] as Lately;
}

/** One at a time shows a login that is not known to be good. */
const turns = new Map<string, LimitFunction>();
function turnOf(login: string): Promise<() => void> {
	let turn = turns.get(login);
	if (!turn) turns.set(login, (turn = pLimit(1)));
	const mine = turn;
	return new Promise((come) => {
		void mine(() => new Promise<void>((over) => come(over))).then(() => {
			if (mine.activeCount === 0 && mine.pendingCount === 0) turns.delete(login);
		});
	});
}
