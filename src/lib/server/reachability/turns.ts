import type { Knex } from 'knex';
import { URGENT } from '../../../core/errand';
import { whomToAsk, type SeenPair } from '../../../core/reachability';
import { refuse, done, type Act } from '../act';
import { askErrand } from '../connections';
import { database } from '../database';
import type { Actor } from '../ledger';
import { log } from '../log';
import { currentSettings } from '../settings';
import { placesOf } from './places';

/** So many turns begin with one beat: a fleet that comes back at once is spread out. */
const MOST_AT_ONCE = 60;
/** Pairs astray that others are asked about, to find what these have in common. */
const MOST_ASTRAY = 200;

interface Turn {
	readonly positionId: string;
	readonly customerId: string;
}

/** Gives each place whose turn it is the others that it asks for next. */
export async function takeTurns(): Promise<void> {
	await database().raw(
		`insert into reach_turn (position_id, customer_id)
		select distinct position.id, position.customer_id from tunnel join position on position.id in (near_position, far_position)
		cross join lateral (select standing from position_standing s where s.position_id = position.id offset 0) stands
		where stands.standing = 'online' and not exists (select from reach_turn t where t.position_id = position.id) on conflict do nothing`
	);
	const { rows } = await database().raw(
		`update reach_turn set next_at = now() + make_interval(secs => :every) where position_id in (
			select t.position_id from reach_turn t join binding on binding.position_id = t.position_id
			join unit_connection c on c.unit_id = binding.unit_id and c.ended_at is null
			where next_at <= now() and not exists (
				select from errand e where e.unit_id = binding.unit_id and e.kind = 'across' and e.state in ('waiting', 'under way')
			) order by next_at limit :most for update of t skip locked
		) returning position_id as "positionId", customer_id as "customerId"`,
		{ every: currentSettings().LIMEN_REACH_EVERY, most: MOST_AT_ONCE }
	);
	const turns = new Map<string, string[]>();
	for (const { positionId, customerId } of rows as Turn[])
		turns.set(customerId, [...(turns.get(customerId) ?? []), positionId]);
	for (const [customerId, positions] of turns)
		await database()
			.transaction((trx) => askFrom(trx, customerId, positions))
			.catch((error: Error) =>
				log.info({ customer: customerId, error: error.message }, 'places could not be asked whom they reach')
			);
}

async function askFrom(trx: Knex, customerId: string, positions: readonly string[]): Promise<void> {
	const places = await placesOf(trx, { customerId });
	const seen: SeenPair[] = await trx('reachability')
		.whereIn('from_position', positions)
		.select(
			'from_position as from',
			'to_position as to',
			'path',
			trx.raw('extract(epoch from looked_at)::float8 * 1000 as "lookedAt"')
		);
	const astray = await trx('reachability')
		.where({ customer_id: customerId, path: 'none' })
		.orderBy('looked_at', 'desc')
		.limit(MOST_ASTRAY)
		.select<{ from: string; to: string }[]>('from_position as from', 'to_position as to');
	const seenFrom = new Map<string, SeenPair[]>(positions.map((id) => [id, []]));
	for (const one of seen) seenFrom.get(one.from)!.push(one);
	for (const from of positions) {
		const place = places.byId.get(from);
		const asked = place ? whomToAsk(places.plan, from, seenFrom.get(from)!, astray) : [];
		if (asked.length === 0) continue;
		const to = asked.map((id) => ({ id, host: places.byId.get(id)!.answers }));
		await askErrand(trx, { unitId: place!.unitId, kind: 'across', input: { from, to }, ifConnected: true });
	}
}

/** Has places take their next turn at once: something changed there. In the transaction of whoever knows that. */
export const lookSoon = (trx: Knex, positionIds: readonly string[]): Promise<unknown> =>
	trx('reach_turn')
		.whereIn('position_id', [...positionIds])
		.where('next_at', '>', trx.fn.now())
		.update({ next_at: trx.fn.now() });

const NOT_YOURS = 'You may not prove sites of this customer.';

/**
 * Has one place ask now whether it reaches another. Whoever may prove sites of the customer may. Refused: a pair that the
 * plan has no path for, and a place that is not connected.
 */
export const lookNow = (from: string, to: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const position = await trx('position').where({ id: from }).first('customer_id as customerId');
		if (!position) return refuse('There is no such position any more.');
		if (!actor.may('prove', position.customerId)) return refuse(NOT_YOURS);
		const { byId, plan } = await placesOf(trx, position);
		const [near, far] = [byId.get(from), byId.get(to)];
		if (!near || !far || plan.path({ from, to }) === null)
			return refuse('The plan has no path between these two any more.');
		if (!near.isConnected) return refuse(`${near.called} is not connected: its unit cannot be asked.`);
		await askErrand(trx, {
			unitId: near.unitId,
			kind: 'across',
			input: { from, to: [{ id: to, host: far.answers }] },
			priority: URGENT
		});
		return done(undefined);
	});
