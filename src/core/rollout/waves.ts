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
 * The waves of a rollout, each unit in exactly one: the first is `coverOf`, or larger where `sizes` says so; the later ones
 * take customers in turn and keep a site together, so that a wave can be larger than its size by one site. Linear in the units.
 */
export function wavesOf<One extends Candidate>(
	candidates: readonly One[],
	{ growth, sizes }: WaveRule
): readonly (readonly One[])[] {
	if (candidates.length === 0) return [];
	const first = coverOf(candidates);
	const chosen = new Set(first.map(({ id }) => id));
	const sites = inTurn(candidates.filter(({ id }) => !chosen.has(id)));
	const waves: One[][] = [[...first]];
	let size = sizes?.[0] ?? first.length;
	for (const site of sites) {
		const isLast = waves.length >= Math.min(MOST_WAVES, sizes?.length ?? MOST_WAVES);
		if (waves.at(-1)!.length >= Math.max(1, size) && !isLast) {
			waves.push([]);
			size = sizes?.[waves.length - 1] ?? Math.max(size * growth, waves.at(-2)!.length * growth);
		}
		waves.at(-1)!.push(...site);
	}
	return waves.filter((wave) => wave.length > 0);
}

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
