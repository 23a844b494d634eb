import * as v from 'valibot';
import { ROWS_AT_ONCE, type ListQuery } from '../../../core/list';
import {
	causeWords,
	codeOf,
	PATHS,
	reordered,
	type Arranged,
	type MatrixInput,
	type Path
} from '../../../core/reachability';
import { database } from '../database';
import { allOf, containing, listRows, type ListRows, type ListSource } from '../list';
import { offMainThread, task } from '../threads';
import { CALLED, placesOf, type Places, type ReachPlace } from './places';

const ARRANGE = task<MatrixInput, Arranged>('arrange');

/** A matrix as it is drawn: places in their order, and of each pair a value in each array, row by row. */
export interface ReachMatrix {
	readonly places: readonly Pick<ReachPlace, 'id' | 'name' | 'siteId' | 'called' | 'isHub' | 'isConnected'>[];
	/** See core's `pathOf`; 0 where nobody looked yet. */
	readonly paths: Uint8Array;
	/** By the plan, in the same way; 0 where it has no path. */
	readonly planned: Uint8Array;
	/** Minutes since it was looked at. */
	readonly ages: Uint16Array;
	/** There and back, in milliseconds; 0 where it was not said. */
	readonly times: Uint16Array;
	/** What the pairs that fail have in common, in words; null when none does. */
	readonly cause: string | null;
}

const MOST = 0xffff;
/** Octets that one pair takes on its way from the database: number, path, minutes, milliseconds. */
const PAIR_OCTETS = 7;

/** With more places a page would carry many millions of cells, of which nobody can see one. */
const MOST_PLACES = 1_000;

/** Who reaches whom at a customer; null where there are too many places to draw. */
export async function reachMatrix(customerId: string): Promise<ReachMatrix | null> {
	const places = await placesOf(database(), { customerId });
	if (places.all.length > MOST_PLACES) return null;
	const { rows } = await database().raw(
		`with place as (select id, (number - 1)::int as number from unnest(:ids::uuid[]) with ordinality as p(id, number))
		select near.number, string_agg(
			int2send(far.number::int2) || set_byte('\\x00'::bytea, 0, array_position(:paths::text[], path))
			|| int2send((least(${MOST}, extract(epoch from now() - looked_at) / 60)::int - 32768)::int2)
			|| int2send((least(${MOST}, coalesce(ceil(milliseconds), 0))::int - 32768)::int2), ''::bytea) as pairs
		from reachability r join place near on near.id = from_position join place far on far.id = to_position
		group by near.number`,
		{ ids: places.all.map(({ id }) => id), paths: [...PATHS] }
	);
	const count = places.all.length;
	const [paths, ages, times] = [
		new Uint8Array(count * count),
		new Uint16Array(count * count),
		new Uint16Array(count * count)
	];
	for (const { number, pairs } of rows as { number: number; pairs: Buffer }[])
		for (let at = 0; at < pairs.length; at += PAIR_OCTETS) {
			const cell = number * count + pairs.readInt16BE(at);
			paths[cell] = pairs[at + 2]!;
			ages[cell] = pairs.readInt16BE(at + 3) + 32_768;
			times[cell] = pairs.readInt16BE(at + 5) + 32_768;
		}
	const { order, cause } = await offMainThread(ARRANGE, {
		places: places.plan.places,
		names: places.all.map(({ called }) => called),
		paths
	});
	return {
		places: order.map((number) => {
			const { id, name, siteId, called, isHub, isConnected } = places.all[number]!;
			return { id, name, siteId, called, isHub, isConnected };
		}),
		paths: reordered(paths, order),
		planned: reordered(plannedPaths(places), order),
		ages: reordered(ages, order),
		times: reordered(times, order),
		cause: cause && causeWords(cause, (id) => places.byId.get(id)!.called)
	};
}

function plannedPaths({ plan, all }: Places): Uint8Array {
	const planned = new Uint8Array(all.length * all.length);
	all.forEach(({ id: from }, row) =>
		all.forEach(({ id: to }, column) => {
			const path = plan.path({ from, to });
			if (path !== null) planned[row * all.length + column] = codeOf(path);
		})
	);
	return planned;
}

/** A pair as the list of pairs shows it. */
export interface ReachLine {
	readonly id: string;
	readonly fromId: string;
	/** How the one that asked is called. */
	readonly from: string;
	readonly toId: string;
	readonly to: string;
	readonly path: Path;
	readonly planned: 'direct' | 'hub';
	readonly milliseconds: number | null;
	readonly loss: number | null;
	readonly words: string;
	readonly pathSince: Date | string;
	readonly lookedAt: Date | string;
}

/** What each column is sorted by. */
const SORTS: Readonly<Record<string, string>> = {
	from: 'lower(near.called)',
	to: 'lower(far.called)',
	path: `array_position(array['none', 'unread', 'other', 'hub', 'direct'], path)`,
	milliseconds: 'milliseconds',
	loss: 'loss',
	since: 'path_since',
	looked: 'looked_at'
};
const PAIRS =
	'reachability r join called near on near.id = from_position join called far on far.id = to_position';

const source = (
	customerId: string | null,
	{ text, filters, sort }: Pick<ListQuery, 'text' | 'filters' | 'sort'>
): ListSource => ({
	reads: CALLED,
	id: `concat_ws('.', from_position, to_position)`,
	from: `${PAIRS} where ${allOf([
		customerId !== null && 'r.customer_id = :customer::uuid',
		Boolean(filters.path) && 'path = :path',
		text.trim() !== '' && '(near.called ilike :like or far.called ilike :like)'
	])}`,
	values: { customer: customerId, path: filters.path, like: containing(text.trim()) },
	sort: SORTS[sort.column] ?? SORTS.from!,
	tie: `near.called || ' ' || far.called`,
	rows: () => `select shown.id, from_position as "fromId", to_position as "toId", near.called as "from",
			far.called as "to", path, milliseconds, loss, words, path_since as "pathSince", looked_at as "lookedAt",
			case when exists (select from tunnel where least(near_position, far_position) = least(from_position, to_position)
				and greatest(near_position, far_position) = greatest(from_position, to_position)) then 'direct' else 'hub' end as planned
		from shown join (${PAIRS}) on from_position = split_part(shown.id, '.', 1)::uuid and to_position = split_part(shown.id, '.', 2)::uuid order by place`
});

/** A window of the list of pairs. */
export const reachRows = (
	customerId: string | null,
	query: ListQuery,
	offset: number,
	limit = ROWS_AT_ONCE
): Promise<ListRows<ReachLine>> => listRows(source(customerId, query), query, offset, limit);

/** The customer that a list's address asks for; null for none. */
export const customerIn = ({ filters }: Pick<ListQuery, 'filters'>): string | null =>
	v.is(v.pipe(v.string(), v.uuid()), filters.customer) ? filters.customer! : null;

/** How many pairs of a customer go by which path. */
export async function pathCounts(customerId: string): Promise<Readonly<Partial<Record<Path, number>>>> {
	const { rows } = await database().raw(
		'select path, count(*)::int as count from reachability where customer_id = ? group by 1',
		[customerId]
	);
	return Object.fromEntries(
		(rows as { path: Path; count: number }[]).map(({ path, count }) => [path, count])
	);
}

/** One direction of a pair, as it was found last. */
export interface ReachAnswer {
	readonly path: Path;
	readonly milliseconds: number | null;
	readonly loss: number | null;
	readonly hops: number | null;
	readonly words: string;
	readonly answer: string;
	readonly lookedAt: Date;
	readonly pathSince: Date;
}
export interface PathChange {
	readonly id: string;
	readonly at: Date;
	readonly before: Path;
	readonly after: Path;
	readonly from: ChangedPlace;
	readonly to: ChangedPlace;
}
interface ChangedPlace {
	readonly positionId: string;
	readonly called: string;
}
export interface ReachPair {
	readonly from: ReachPlace;
	readonly to: ReachPlace;
	readonly customerId: string;
	readonly planned: 'direct' | 'hub' | null;
	/** What the one asked and what the other did; null where nobody looked yet. */
	readonly there: ReachAnswer | null;
	readonly back: ReachAnswer | null;
	readonly changes: readonly PathChange[];
}

const ANSWER = [
	'path',
	'milliseconds',
	'loss',
	'hops',
	'words',
	'answer',
	'looked_at as lookedAt',
	'path_since as pathSince'
];

/** Two places and what is known between them, in both directions; null when the plan has no path between them. */
export async function reachPair(from: string, to: string): Promise<ReachPair | null> {
	const position = await database()('position').where({ id: from }).first('customer_id as customerId');
	if (!position) return null;
	const { plan, byId } = await placesOf(database(), position);
	const [near, far] = [byId.get(from), byId.get(to)];
	if (!near || !far || near === far) return null;
	const answer = (one: string, other: string): Promise<ReachAnswer | undefined> =>
		database()('reachability').where({ from_position: one, to_position: other }).first(ANSWER);
	const [there, back, changes] = await Promise.all([
		answer(from, to),
		answer(to, from),
		pathChanges({ pair: [from, to] }, 20)
	]);
	return {
		from: near,
		to: far,
		customerId: position.customerId,
		planned: plan.path({ from, to }),
		there: there ?? null,
		back: back ?? null,
		changes
	};
}

/** What changed lately between places, the latest first. */
export async function pathChanges(
	of: { readonly customerId: string } | { readonly pair: readonly [string, string] },
	limit: number
): Promise<readonly PathChange[]> {
	const { rows } = await database().raw(
		`with ${CALLED}
		select c.id, at, before, after, jsonb_build_object('positionId', near.id, 'called', near.called) as "from",
			jsonb_build_object('positionId', far.id, 'called', far.called) as "to"
		from path_change c join called near on near.id = from_position join called far on far.id = to_position
		where (:customer::uuid is null or c.customer_id = :customer)
			and (:pair::uuid[] is null or (from_position = any (:pair) and to_position = any (:pair)))
		order by at desc, c.id limit :limit`,
		{
			customer: 'customerId' in of ? of.customerId : null,
			pair: 'pair' in of ? [...of.pair] : null,
			limit
		}
	);
	return rows;
}

/** A customer some of whose places, though connected, do not reach each other. */
export interface BrokenPaths {
	readonly customerId: string;
	readonly customerName: string;
	readonly pairs: number;
	readonly since: Date;
}
export async function brokenPaths(customerId: string | null): Promise<readonly BrokenPaths[]> {
	const { rows } = await database().raw(
		`select customer.id as "customerId", customer.name as "customerName", count(*)::int as pairs, min(path_since) as since
		from reachability r join customer on customer.id = r.customer_id
		cross join lateral (select standing from position_standing s where s.position_id = from_position offset 0) near
		cross join lateral (select standing from position_standing s where s.position_id = to_position offset 0) far
		where path = 'none' and near.standing = 'online' and far.standing = 'online' and (:customer::uuid is null or r.customer_id = :customer)
		group by customer.id order by since`,
		{ customer: customerId }
	);
	return rows;
}
