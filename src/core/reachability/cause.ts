import type { Pair, Plan, SeenPair } from './places';

/** What pairs that do not reach each other have in common. */
export type Cause =
	/** A hub that nobody reaches. */
	| { readonly kind: 'hub'; readonly id: string }
	/** These reach nobody and are reached by nobody, or by few. */
	| { readonly kind: 'places'; readonly ids: readonly string[] }
	/** Within each of these groups they reach each other; from one to another they do not. */
	| { readonly kind: 'groups'; readonly groups: readonly (readonly string[])[] }
	/** Nothing: single pairs. */
	| { readonly kind: 'pairs'; readonly pairs: readonly Pair[] };

/** More places than this at fault are no explanation any more. */
const MOST_PLACES = 5;

/**
 * What those that do not reach each other have in common; null when all do that were looked at. Only what the plan has a
 * path for counts, and what could not be read counts neither way. Laws: the order of what was seen does not matter; a
 * failing pair is explained by what is named. Linear in the number of pairs, but for a few places at fault.
 */
export function commonCause(plan: Plan, seen: readonly SeenPair[]): Cause | null {
	const looked = seen.filter((pair) => pair.path !== 'unread' && plan.path(pair) !== null);
	const failing = looked.filter(({ path }) => path === 'none');
	if (failing.length === 0) return null;
	const hub = plan.places.find(({ id, isHub }) => isHub && isCutOff(plan, id, looked, failing));
	if (hub) return { kind: 'hub', id: hub.id };
	const hubs = new Set(plan.places.flatMap(({ id, isHub }) => (isHub ? [id] : [])));
	const groups = workingGroups(
		plan.places.map(({ id }) => id).filter((id) => !hubs.has(id)),
		looked
	).filter(({ length }) => length > 1);
	const groupOf = new Map(groups.flatMap((group, index) => group.map((id) => [id, index] as const)));
	const isAcross = ({ from, to }: Pair) =>
		groupOf.has(from) && groupOf.has(to) && groupOf.get(from) !== groupOf.get(to);
	// One pair alone can fail for reasons of its own
	if (groups.length > 1 && failing.length > 1 && failing.every(isAcross)) return { kind: 'groups', groups };
	const ids = culprits(looked, failing);
	if (ids) return { kind: 'places', ids };
	return { kind: 'pairs', pairs: failing.map(({ from, to }) => ({ from, to })) };
}

/** Whether nobody reaches a hub, two at least tried, and all that fails would have gone through it. */
function isCutOff(plan: Plan, hub: string, looked: readonly Pair[], failing: readonly Pair[]): boolean {
	const touches = ({ from, to }: Pair) => from === hub || to === hub;
	const own = failing.filter(touches);
	const others = new Set(own.map(({ from, to }) => (from === hub ? to : from)));
	return (
		others.size > 1 &&
		own.length === looked.filter(touches).length &&
		failing.every(
			(pair) => touches(pair) || (plan.hubsOf(pair.from).has(hub) && plan.hubsOf(pair.to).has(hub))
		)
	);
}

/** The fewest places, one after the other by how much they explain, that all failing pairs touch; each fails mostly. */
function culprits(looked: readonly SeenPair[], failing: readonly SeenPair[]): readonly string[] | null {
	const tried = countByPlace(looked);
	let left = failing;
	const found: string[] = [];
	while (left.length > 0) {
		if (found.length === MOST_PLACES) return null;
		const counts = [...countByPlace(left)].sort(
			([a, most], [b, more]) => more / tried.get(b)! - most / tried.get(a)! || more - most || (a < b ? -1 : 1)
		);
		const [id, count] = counts[0]!;
		if (count < 2 || count * 2 <= tried.get(id)!) return null;
		found.push(id);
		left = left.filter(({ from, to }) => from !== id && to !== id);
	}
	return found;
}

function countByPlace(pairs: readonly Pair[]): ReadonlyMap<string, number> {
	const counts = new Map<string, number>();
	for (const { from, to } of pairs) for (const id of [from, to]) counts.set(id, (counts.get(id) ?? 0) + 1);
	return counts;
}

/**
 * Groups within which places reach each other, also by way of others of the group: the connected components of what
 * works, a pair that fails in either direction left out. The largest first, places in the order given.
 */
export function workingGroups(
	ids: readonly string[],
	seen: readonly SeenPair[]
): readonly (readonly string[])[] {
	const broken = new Map(ids.map((id) => [id, new Set<string>()]));
	for (const { from, to, path } of seen)
		if (path === 'none') {
			broken.get(from)?.add(to);
			broken.get(to)?.add(from);
		}
	const parent = new Map(ids.map((id) => [id, id]));
	const rootOf = (id: string): string => {
		let root = id;
		while (parent.get(root) !== root) root = parent.get(root)!;
		for (let at = id; at !== root;) {
			const next = parent.get(at)!;
			parent.set(at, root);
			at = next;
		}
		return root;
	};
	for (const { from, to, path } of seen)
		if (path !== 'none' && path !== 'unread' && broken.has(to) && broken.get(from)?.has(to) === false)
			parent.set(rootOf(from), rootOf(to));
	const groups = new Map<string, string[]>();
	for (const id of ids) {
		const group = groups.get(rootOf(id));
		if (group) group.push(id);
		else groups.set(rootOf(id), [id]);
	}
	return [...groups.values()].sort((a, b) => b.length - a.length);
}

/** What is wrong, in a sentence or two; `nameOf` says how a place is called. */
export function causeWords(cause: Cause, nameOf: (id: string) => string): string {
	const list = (ids: readonly string[]): string => {
		const names = ids.slice(0, 3).map(nameOf);
		if (ids.length > 3) return `${names.join(', ')} and ${ids.length - 3} more`;
		return names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
	};
	switch (cause.kind) {
		case 'hub':
			return `Nobody reaches ${nameOf(cause.id)}, the hub. What goes through it fails with it.`;
		case 'places':
			return cause.ids.length === 1
				? `All that fails leads to or from ${nameOf(cause.ids[0]!)}.`
				: `All that fails leads to or from ${list(cause.ids)}.`;
		case 'groups':
			return `They fall apart into ${cause.groups.length} groups that do not reach each other: ${cause.groups.map((group) => `${list(group)}`).join('; ')}.`;
		case 'pairs':
			return cause.pairs.length === 1
				? `${nameOf(cause.pairs[0]!.from)} does not reach ${nameOf(cause.pairs[0]!.to)}; both reach others.`
				: `${cause.pairs.length} pairs do not reach each other, and nothing is common to them.`;
	}
}
