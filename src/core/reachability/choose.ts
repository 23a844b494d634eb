import type { Pair, Plan, SeenPair } from './places';

/** So many others a place is asked for in one turn: what else is wanted of it waits no longer than these take. */
export const ONE_TURN = 10;
/** Up to so many places a hub has no turn of its own in each: all pairs come round soon enough. */
const ALL_PAIRS = 60;
const ASTRAY = 2;
const WIDENING = 2;

/**
 * Whom a place asks for in its next turn: at most `ONE_TURN`, whatever the number of places, so that the load of each is
 * constant. In a large plan its hubs first; then some of what was last not as planned, and some that others do not reach,
 * to find what these have in common; at least half of a turn is for those that were not looked at for longest (ever, to
 * begin with). Laws: nobody twice, only whom the plan has a path to; n others have all had their turn after
 * ⌈2n / ONE_TURN⌉ turns.
 */
export function whomToAsk(
	plan: Plan,
	from: string,
	seen: readonly SeenPair[],
	astray: readonly Pair[]
): readonly string[] {
	const places = plan.places;
	const own = places.findIndex(({ id }) => id === from);
	const last = new Map(seen.flatMap((one) => (one.from === from ? [[one.to, one] as const] : [])));
	// Each begins with its next neighbour, so that not all ask for the same at first
	const all = [...places.slice(own + 1), ...places.slice(0, Math.max(own, 0))]
		.filter(({ id }) => plan.path({ from, to: id }) !== null)
		.map(({ id, isHub }) => ({ id, isHub, lookedAt: last.get(id)?.lookedAt ?? -Infinity }))
		.sort((a, b) => (a.lookedAt < b.lookedAt ? -1 : a.lookedAt > b.lookedAt ? 1 : 0));
	if (all.length <= ONE_TURN) return all.map(({ id }) => id);
	const chosen = new Set<string>();
	const take = (most: number, wanted: (one: (typeof all)[number]) => boolean) => {
		let taken = 0;
		for (const one of all)
			if (taken < most && !chosen.has(one.id) && wanted(one)) {
				chosen.add(one.id);
				taken++;
			}
	};
	if (places.length > ALL_PAIRS)
		take(1, ({ id, isHub }) => isHub && plan.path({ from, to: id }) === 'direct');
	take(ASTRAY, ({ id }) => last.has(id) && plan.isAstray(last.get(id)!));
	const missed = new Set(astray.flatMap((pair) => [pair.from, pair.to]));
	take(WIDENING, ({ id }) => missed.has(id));
	take(ONE_TURN - chosen.size, () => true);
	return [...chosen];
}
