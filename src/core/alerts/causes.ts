/** A unit at a site, as far as it matters for why it is not heard. */
export interface UnitAt {
	readonly id: string;
	/** It carries the site's way out: a router, or a gateway. */
	readonly isFront: boolean;
	readonly isAway: boolean;
}
/** A unit that is away of itself, with those that are away because of it. */
export interface Root {
	readonly id: string;
	readonly because: readonly string[];
}

/**
 * Which of a site's units that are away are so of themselves, and which only because what they hang on is: power and way
 * out come along the cables from the front. Where no cable is known of a unit, it hangs on the front; of several fronts, on
 * the first. Laws: every unit that is away is in exactly one root, of itself or because of it; a unit is never away because
 * of one that is there. Linear in units and cables.
 */
export function rootsOf(units: readonly UnitAt[], cables: readonly (readonly [string, string])[]): Root[] {
	const byId = new Map(units.map((unit) => [unit.id, unit]));
	const beside = new Map<string, string[]>();
	for (const [one, other] of cables) {
		if (!byId.has(one) || !byId.has(other)) continue;
		beside.set(one, [...(beside.get(one) ?? []), other]);
		beside.set(other, [...(beside.get(other) ?? []), one]);
	}
	const fronts = units.filter(({ isFront }) => isFront);
	/** On what each hangs; a front hangs on nothing. */
	const above = new Map<string, string | null>(fronts.map(({ id }) => [id, null]));
	const queue = fronts.map(({ id }) => id);
	for (let at = 0; at < queue.length; at++)
		for (const next of beside.get(queue[at]!) ?? [])
			if (!above.has(next)) {
				above.set(next, queue[at]!);
				queue.push(next);
			}
	const usual = fronts[0]?.id ?? null;
	for (const { id } of units) if (!above.has(id)) above.set(id, usual);

	const rootOf = new Map<string, string>();
	/** In the order of the cables, so that what something hangs on has its root before it. */
	const cabled = new Set(queue);
	const order = [...queue, ...units.flatMap(({ id }) => (cabled.has(id) ? [] : [id]))];
	const because = new Map<string, string[]>();
	for (const id of order) {
		if (!byId.get(id)!.isAway) continue;
		const upper = above.get(id) ?? null;
		const root = upper !== null ? rootOf.get(upper) : undefined;
		rootOf.set(id, root ?? id);
		if (root === undefined) because.set(id, []);
		else because.get(root)!.push(id);
	}
	return [...because].map(([id, others]) => ({ id, because: others }));
}

/** A root, by the instant since which it is away, in milliseconds. */
export interface AwayRoot extends Root {
	readonly since: number;
}

/** What goes away because of its hub is noticed this much before it, at most. */
const TOGETHER_MS = 5 * 60_000;

/**
 * Gathers roots across sites: one whose tunnels all end at hubs that are away, and that went away with or after one of
 * them, is away because of the first of those. `tunnels`: of each root all, as its own end and the hub's; hubs that are away
 * are among the roots, or because of one. Laws: every unit stays in exactly one root; without tunnels nothing changes; of
 * hubs that hang on each other one stays a root.
 */
export function gatheredByTunnels(
	roots: readonly AwayRoot[],
	tunnels: readonly (readonly [near: string, far: string])[]
): Root[] {
	const rootOf = new Map(
		roots.flatMap((root) => [root.id, ...root.because].map((id) => [id, root] as const))
	);
	const farOf = new Map<string, string[]>();
	for (const [near, far] of tunnels) farOf.set(near, [...(farOf.get(near) ?? []), far]);
	/** On which root each hangs. */
	const above = new Map<AwayRoot, AwayRoot>();
	const top = (root: AwayRoot): AwayRoot => {
		let at = root;
		for (let next = above.get(at); next; next = above.get(at)) at = next;
		return at;
	};
	for (const root of roots) {
		const hubs = (farOf.get(root.id) ?? []).map((far) => rootOf.get(far));
		if (hubs.length === 0 || !hubs.every((hub) => hub !== undefined && hub !== root)) continue;
		const cause = hubs.find((hub) => hub!.since <= root.since + TOGETHER_MS && top(hub!) !== root);
		if (cause) above.set(root, cause);
	}
	const because = new Map<AwayRoot, string[]>();
	for (const root of roots) {
		const under = top(root);
		const others = because.get(under) ?? [];
		others.push(...(root === under ? root.because : [root.id, ...root.because]));
		because.set(under, others);
	}
	return [...because].map(([{ id }, others]) => ({ id, because: others }));
}
