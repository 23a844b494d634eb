import type { Span } from '../windows';
import { Heap } from './heap';
import { inSiteOrder, type Candidate } from './waves';

/** A unit as a rollout does it. */
export interface Item extends Candidate {
	/** How long it is expected to take, in milliseconds. */
	readonly takes: number;
	/** Units that must not be done at the same time: the other ends of its tunnels. */
	readonly apart?: ReadonlySet<string> | undefined;
	/** Units that are changed along with it, each by one such unit at a time. */
	readonly with?: readonly string[] | undefined;
	/** When it can be done, where that is not whenever its site can. */
	readonly spans?: readonly Span[] | undefined;
}

/** What may go on at the same time, in units. */
export interface Limits {
	readonly all: number;
	readonly perCustomer: number;
	readonly perSite: number;
	/** Units that others reach the network through come last at their site, else first. */
	readonly frontsLast: boolean;
}
export const USUAL_LIMITS: Limits = { all: 20, perCustomer: 10, perSite: 2, frontsLast: true };

/** What is under way at a site. */
export interface UnderWay {
	readonly count: number;
	readonly front: boolean;
}
/** Whether one more may begin at its site: where the others hang on it, it is alone. */
export const mayJoin = (
	{ isFront }: Pick<Item, 'isFront'>,
	{ count, front }: UnderWay,
	{ perSite }: Pick<Limits, 'perSite'>
): boolean => count === 0 || (!isFront && !front && count < perSite);

/** When both of two can be done. Both in order, and so is what comes. */
export function commonSpans(some: readonly Span[], others: readonly Span[]): Span[] {
	const common: Span[] = [];
	let [a, b] = [0, 0];
	while (a < some.length && b < others.length) {
		const [one, other] = [some[a]!, others[b]!];
		const from = Math.max(one.from, other.from);
		const until = Math.min(one.until, other.until);
		if (from < until) common.push({ from, until });
		if (one.until <= other.until) a++;
		else b++;
	}
	return common;
}

/** The span in which something that takes so long can begin soonest, from `at` on; null when none is long enough. */
export function spanFor(spans: readonly Span[], at: number, takes: number): Span | null {
	for (const { from, until } of spans) {
		const begin = Math.max(from, at);
		if (until - begin >= takes) return { from: begin, until };
	}
	return null;
}

/** When a unit is expected to be done, in milliseconds since the epoch; null when no window is long enough. */
export interface Stretch {
	readonly id: string;
	readonly wave: number;
	readonly during: Span | null;
}
export interface Course {
	readonly units: readonly Stretch[];
	/** Of each wave, from its first unit's beginning to its last one's end; null when none of it can be done. */
	readonly waves: readonly (Span | null)[];
	readonly until: number | null;
	/** Spells of work with pauses of four hours or more between them: nights, mostly. */
	readonly spells: number;
	/** How many units of each site are done. */
	readonly interruptions: ReadonlyMap<string, number>;
}

interface Site {
	readonly id: string;
	readonly customerId: string;
	readonly spans: readonly Span[];
	readonly waiting: Item[];
	at: number;
	count: number;
	front: boolean;
	isReady: boolean;
}

/**
 * The course that a rollout takes when each unit takes as long as expected and none fails. Laws: a unit is done inside
 * one span of its site, wholly; at no time more are under way than the limits say; where others hang on a unit it is done
 * alone at its site, and in the order that the limits say; units that are kept apart, or changed along with others, never overlap; a wave begins when
 * the one before has ended. Units without a span that is long enough are not done. Takes n log n time in the units.
 */
export function courseOf(
	waves: readonly (readonly Item[])[],
	spansOf: (siteId: string) => readonly Span[],
	limits: Limits,
	now: number
): Course {
	const units: Stretch[] = [];
	const spans: (Span | null)[] = [];
	let from = now;
	for (const [wave, items] of waves.entries()) {
		const done = courseOfWave(items, spansOf, limits, from);
		let [begins, ends] = [Infinity, 0];
		for (const { id, during } of done) {
			units.push({ id, wave, during });
			if (!during) continue;
			begins = Math.min(begins, during.from);
			ends = Math.max(ends, during.until);
		}
		const whole = begins === Infinity ? null : { from: begins, until: ends };
		spans.push(whole);
		from = whole?.until ?? from;
	}
	const interruptions = new Map<string, number>();
	const siteOf = new Map(waves.flat().map(({ id, siteId }) => [id, siteId]));
	for (const { id, during } of units)
		if (during) interruptions.set(siteOf.get(id)!, (interruptions.get(siteOf.get(id)!) ?? 0) + 1);
	const ends = spans.flatMap((span) => (span ? [span.until] : []));
	return {
		units,
		waves: spans,
		until: ends.length > 0 ? Math.max(...ends) : null,
		spells: spellsOf(units),
		interruptions
	};
}

const PAUSE_MS = 4 * 3_600_000;
function spellsOf(units: readonly Stretch[]): number {
	const during = units.flatMap((unit) => (unit.during ? [unit.during] : [])).sort((a, b) => a.from - b.from);
	let [spells, until] = [0, -Infinity];
	for (const span of during) {
		if (span.from - until >= PAUSE_MS) spells++;
		until = Math.max(until, span.until);
	}
	return spells;
}

function courseOfWave(
	items: readonly Item[],
	spansOf: (siteId: string) => readonly Span[],
	limits: Limits,
	from: number
): { readonly id: string; readonly during: Span | null }[] {
	const sites = sitesOf(items, spansOf, limits);
	const done: { readonly id: string; readonly during: Span | null }[] = [];
	const wakes = new Heap<Site>();
	const ends = new Heap<{ readonly site: Site; readonly item: Item }>();
	const ready = new Map<string, Queue>();
	const running = new Map<string, number>();
	const underWay = new Set<string>();
	/** Sites whose next unit is kept apart from one that is under way, by that one. */
	const kept = new Map<string, Site[]>();
	let at = from;

	/** Puts a site where it waits for its turn, its window, or nothing more. */
	const consider = (site: Site): void => {
		if (site.isReady) return;
		for (
			let next = site.waiting[site.at];
			next && mayJoin(next, site, limits);
			next = site.waiting[site.at]
		) {
			const span = spanFor(next.spans ?? site.spans, at, next.takes);
			if (span && span.from > at) return wakes.push(span.from, site);
			if (span) {
				const other = isKeptApart(next, underWay);
				if (other === undefined) stand(site);
				else if (kept.has(other)) kept.get(other)!.push(site);
				else kept.set(other, [site]);
				return;
			}
			site.at++;
			done.push({ id: next.id, during: null });
		}
	};
	const stand = (site: Site): void => {
		site.isReady = true;
		const queue = ready.get(site.customerId);
		if (queue) queue.sites.push(site);
		else ready.set(site.customerId, { sites: [site], at: 0 });
	};
	const begin = (site: Site): void => {
		site.isReady = false;
		const item = site.waiting[site.at]!;
		const span = spanFor(item.spans ?? site.spans, at, item.takes);
		// Its window, or what it is kept apart from, may have changed while it waited for its turn
		if (!span || span.from > at || isKeptApart(item, underWay) !== undefined) return consider(site);
		site.at++;
		site.count++;
		site.front = site.front || item.isFront;
		running.set(site.customerId, (running.get(site.customerId) ?? 0) + 1);
		for (const id of changedWith(item)) underWay.add(id);
		const during = { from: at, until: at + item.takes };
		done.push({ id: item.id, during });
		ends.push(during.until, { site, item });
		consider(site);
	};
	const end = ({ site, item }: { readonly site: Site; readonly item: Item }): void => {
		site.count--;
		if (item.isFront) site.front = false;
		running.set(site.customerId, running.get(site.customerId)! - 1);
		const others: Site[] = [];
		for (const id of changedWith(item)) {
			underWay.delete(id);
			others.push(...(kept.get(id) ?? []));
			kept.delete(id);
		}
		for (const other of [site, ...others]) consider(other);
	};

	for (const site of sites) consider(site);
	for (;;) {
		beginInTurn(ready, running, limits, () => underWay.size, begin);
		at = Math.max(at, Math.min(wakes.lowest, ends.lowest));
		if (at === Infinity) return done;
		// What ends makes room for what begins at the same instant
		while (ends.lowest <= at) end(ends.pop()!);
		while (wakes.lowest <= at) consider(wakes.pop()!);
	}
}

const changedWith = (item: Item): readonly string[] => (item.with ? [item.id, ...item.with] : [item.id]);

/** A unit under way that another must not be done beside; looked for from the shorter of the two sides. */
function isKeptApart(item: Item, underWay: ReadonlySet<string>): string | undefined {
	if (underWay.size === 0) return undefined;
	const taken = changedWith(item).find((id) => underWay.has(id));
	if (taken !== undefined) return taken;
	const { apart } = item;
	if (!apart) return undefined;
	const [few, many] = apart.size < underWay.size ? [apart, underWay] : [underWay, apart];
	for (const id of few) if (many.has(id)) return id;
	return undefined;
}

/** Sites of a customer that could begin; those before `at` have had their turn. */
interface Queue {
	sites: Site[];
	at: number;
}

/** Begins what may, customer after customer, as long as there is room. */
function beginInTurn(
	ready: Map<string, Queue>,
	running: ReadonlyMap<string, number>,
	{ all, perCustomer }: Limits,
	underWay: () => number,
	begin: (site: Site) => void
): void {
	const turn = [...ready.keys()];
	for (let at = 0; at < turn.length && underWay() < all; at++) {
		const customer = turn[at]!;
		const queue = ready.get(customer)!;
		if (queue.at < queue.sites.length && (running.get(customer) ?? 0) < perCustomer) {
			begin(queue.sites[queue.at++]!);
			turn.push(customer);
		}
		if (queue.at >= queue.sites.length) {
			queue.sites = [];
			queue.at = 0;
		}
	}
}

function sitesOf(
	items: readonly Item[],
	spansOf: (siteId: string) => readonly Span[],
	limits: Limits
): Site[] {
	const bySite = new Map<string, Item[]>();
	for (const item of items) {
		const site = bySite.get(item.siteId);
		if (site) site.push(item);
		else bySite.set(item.siteId, [item]);
	}
	return [...bySite].map(([id, own]) => ({
		id,
		customerId: own[0]!.customerId,
		spans: spansOf(id),
		waiting: [...inSiteOrder(own, limits)],
		at: 0,
		count: 0,
		front: false,
		isReady: false
	}));
}
