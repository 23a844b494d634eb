/** A unit that a rollout is for, as far as its place in the waves goes. */
export interface Candidate {
	readonly id: string;
	readonly siteId: string;
	readonly customerId: string;
	readonly model: string;
	/** The firmware that it runs. */
	readonly version: string;
	readonly uplink: string;
	/** Whether it can be done at all as things are: a first wave of units that cannot proves nothing. */
	readonly isAble: boolean;
	/** Whether its site's other units reach the network through it. */
	readonly isFront: boolean;
}

const KINDS = ['model', 'version', 'uplink', 'customerId'] as const;

/**
 * The first wave: a small set in which each model, firmware, kind of uplink and customer that there is among units that
 * can be done is met at least once. Greedy: the unit that meets most that is not met yet, of equal ones the first given.
 * At most ln(m) + 1 times as many as the smallest such set, for m values (Chvátal, Mathematics of Operations Research 4,
 * 1979). Linear in the units, and in their distinct combinations times the size of the set.
 */
export function coverOf<One extends Candidate>(candidates: readonly One[]): readonly One[] {
	const combinations = new Map<string, { readonly values: readonly string[]; readonly first: One }>();
	for (const one of candidates) {
		if (!one.isAble) continue;
		const values = KINDS.map((kind) => `${kind} ${one[kind]}`);
		const key = JSON.stringify(values);
		if (!combinations.has(key)) combinations.set(key, { values, first: one });
	}
	const open = new Set([...combinations.values()].flatMap(({ values }) => values));
	const chosen: One[] = [];
	while (open.size > 0) {
		let [most, best] = [0, null as { readonly values: readonly string[]; readonly first: One } | null];
		for (const one of combinations.values()) {
			const met = one.values.filter((value) => open.has(value)).length;
			if (met > most) [most, best] = [met, one];
		}
		chosen.push(best!.first);
		for (const value of best!.values) open.delete(value);
	}
	return chosen;
}

/** How many units a wave has: `sizes` as somebody wants them, what is left in the last; else each grows by `growth`. */
export interface WaveRule {
	readonly growth: number;
	readonly sizes: readonly number[] | null;
}
export const MOST_WAVES = 12;

/**
 * The waves of a rollout, each unit in exactly one: the first begins with `coverOf`, and later ones take customers in turn.
 * Waves of named sizes have just these, the first never less than the cover; only a cut parts the units of a site, those
 * in front last. Waves that grow keep a site together, so that one can be larger than its size by a site. Linear in the units.
 */
export function wavesOf<One extends Candidate>(
	candidates: readonly One[],
	{ growth, sizes }: WaveRule
): readonly (readonly One[])[] {
	if (candidates.length === 0) return [];
	const first = coverOf(candidates);
	const chosen = new Set(first.map(({ id }) => id));
	const sites = inTurn(candidates.filter(({ id }) => !chosen.has(id)));
	const waves =
		sizes === null
			? growing(first, sites, growth)
			: ofSizes(
					[...first, ...sites.flatMap((site) => inSiteOrder(site, { frontsLast: true }))],
					[Math.max(sizes[0]!, first.length), ...sizes.slice(1, MOST_WAVES)]
				);
	return waves.filter((wave) => wave.length > 0);
}

function growing<One>(first: readonly One[], sites: readonly One[][], growth: number): One[][] {
	const waves: One[][] = [[...first]];
	let size = first.length;
	for (const site of sites) {
		const last = waves.at(-1)!;
		if (last.length < Math.max(1, size) || waves.length >= MOST_WAVES) last.push(...site);
		else {
			waves.push([...site]);
			size = Math.max(size, last.length) * growth;
		}
	}
	return waves;
}

/** What the sizes leave over is in the last wave. */
function ofSizes<One>(all: readonly One[], sizes: readonly number[]): One[][] {
	let from = 0;
	return sizes.map((size, at) => all.slice(from, at === sizes.length - 1 ? undefined : (from += size)));
}

/** Which of a site's units that wait comes next: those before the others first, as the limits say. */
export const inSiteOrder = <One extends Pick<Candidate, 'isFront'>>(
	items: readonly One[],
	{ frontsLast }: { readonly frontsLast: boolean }
): readonly One[] => [
	...items.filter(({ isFront }) => isFront !== frontsLast),
	...items.filter(({ isFront }) => isFront === frontsLast)
];

/** The sites, one of each customer after the other. */
function inTurn<One extends Candidate>(candidates: readonly One[]): One[][] {
	const customers = new Map<string, Map<string, One[]>>();
	for (const one of candidates) {
		const sites = customers.get(one.customerId) ?? new Map<string, One[]>();
		customers.set(one.customerId, sites);
		const site = sites.get(one.siteId);
		if (site) site.push(one);
		else sites.set(one.siteId, [one]);
	}
	const queues = [...customers.values()].map((sites) => [...sites.values()]);
	const longest = queues.reduce((most, { length }) => Math.max(most, length), 0);
	return Array.from({ length: longest }, (_, at) =>
		queues.flatMap((queue) => (queue[at] ? [queue[at]] : []))
	).flat();
}
