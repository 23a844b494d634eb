import { chassisKey, type Heard, type Sighting } from './sighting';

/** Something that a survey found: a unit that let in, one that did not, or one that only its neighbours tell of. */
export interface FoundThing {
	/** The same in the next survey, as far as what it is known by stays. */
	readonly key: string;
	readonly sightings: readonly Sighting[];
	/** How its neighbours speak of it. */
	readonly heardAs: readonly Heard[];
	/** Why what was seen from several sides was taken for one. */
	readonly why: readonly string[];
}
export interface Found {
	readonly things: readonly FoundThing[];
	/** For each sighting, by its address, and each row that it heard: the key of its thing. */
	readonly keyOf: (address: string) => string;
	readonly keyOfHeard: (heard: Heard) => string;
	/** What looks the same and was kept apart, in words. */
	readonly doubts: readonly string[];
}

interface Item {
	readonly sighting: Sighting | null;
	readonly heard: Heard | null;
	readonly from: Sighting | null;
}
/** All that is known of those that were taken for one. */
interface Cluster {
	readonly serials: ReadonlySet<string>;
	readonly macs: ReadonlySet<string>;
	readonly chassis: ReadonlySet<string>;
	readonly hostKeys: ReadonlySet<string>;
}

interface Rule {
	readonly name: string;
	/** What two have to share. */
	readonly of: (item: Item) => string | null;
	/** Whether they can be one, all that is known of them put together. */
	readonly canBe: (together: Cluster) => boolean;
}
const oneSerial = ({ serials }: Cluster) => serials.size <= 1;
const RULES: readonly Rule[] = [
	{
		name: 'serial number',
		of: ({ sighting }) => sighting && serialOf(sighting),
		// Two that were given one serial number differ in what is their own
		canBe: ({ macs, hostKeys }) => macs.size <= 1 && (macs.size === 1 || hostKeys.size <= 1)
	},
	{
		name: 'chassis',
		of: ({ sighting, heard }) => chassisKey(sighting ? (sighting.mac ?? '') : heard!.chassis) || null,
		canBe: oneSerial
	},
	{
		name: 'address',
		of: ({ sighting, heard }) => (sighting ? sighting.address : heard!.address) || null,
		// The same address may be used at many places
		canBe: (together) => oneSerial(together) && together.chassis.size <= 1
	},
	{
		name: 'host key',
		of: ({ sighting }) => sighting?.hostKey ?? null,
		// Copied units have one key
		canBe: (together) => oneSerial(together) && together.macs.size <= 1 && together.chassis.size <= 1
	}
];
const serialOf = ({ maker, serial }: Sighting): string | null => serial && `${maker ?? ''} ${serial}`;

/**
 * Takes what was seen from several sides, or under several addresses, for one unit where it shares its serial number, its
 * chassis, its address or its host key, in this order; and never where what it is known by contradicts: then all that share it
 * are kept apart, and that is told. Laws: every sighting and every row belongs to exactly one thing; the order in which they are
 * given changes nothing; two with different serial numbers are never one. Time grows with their number times its logarithm.
 */
export function findThings(sightings: readonly Sighting[]): Found {
	const items: readonly Item[] = sightings.flatMap((sighting): Item[] => [
		{ sighting, heard: null, from: null },
		...sighting.heard.map((heard) => ({ sighting: null, heard, from: sighting }))
	]);
	const parent = items.map((_, index) => index);
	const rootOf = (index: number): number => {
		let root = index;
		while (parent[root] !== root) root = parent[root]!;
		for (let at = index; at !== root;) [at, parent[at]] = [parent[at]!, root];
		return root;
	};
	const clusters = items.map(clusterOf);
	const reasons = new Map<number, string[]>();
	const doubts: string[] = [];
	for (const { name, of, canBe } of RULES) {
		const sharing = new Map<string, number[]>();
		for (const [index, item] of items.entries()) {
			const value = of(item);
			if (value === null) continue;
			const those = sharing.get(value);
			if (those) those.push(index);
			else sharing.set(value, [index]);
		}
		for (const [value, those] of [...sharing].sort(([a], [b]) => (a < b ? -1 : 1))) {
			const roots = [...new Set(those.map(rootOf))];
			if (roots.length < 2) continue;
			const together = joined(roots.map((root) => clusters[root]!));
			if (!canBe(together)) {
				doubts.push(apartWords(name, value, those, items));
				continue;
			}
			const [first, ...others] = roots as [number, ...number[]];
			for (const root of others) parent[root] = first;
			clusters[first] = together;
			const why = roots.flatMap((root) => reasons.get(root) ?? []);
			reasons.set(first, [...why, whyOne(name, those, items)]);
		}
	}
	const members = new Map<number, Item[]>();
	for (const [index, item] of items.entries()) {
		const root = rootOf(index);
		const those = members.get(root);
		if (those) those.push(item);
		else members.set(root, [item]);
	}
	return named(members, reasons, doubts);
}

function named(
	members: ReadonlyMap<number, readonly Item[]>,
	reasons: ReadonlyMap<number, readonly string[]>,
	doubts: readonly string[]
): Found {
	const byAddress = new Map<string, string>();
	const byHeard = new Map<Heard, string>();
	const taken = new Set<string>();
	const things = [...members]
		.map(([root, those]) => ({ root, those, key: keyFor(those) }))
		.sort((a, b) =>
			a.key < b.key ? -1 : a.key > b.key ? 1 : addressOf(a.those) < addressOf(b.those) ? -1 : 1
		)
		.map(({ root, those, key: wanted }): FoundThing => {
			let key = wanted;
			for (let number = 2; taken.has(key); number++) key = `${wanted} (${number})`;
			taken.add(key);
			for (const { sighting, heard } of those)
				if (sighting) byAddress.set(sighting.address, key);
				else byHeard.set(heard!, key);
			return {
				key,
				sightings: those
					.flatMap(({ sighting }) => sighting ?? [])
					.sort(
						(a, b) => Number(b.outcome === 'in') - Number(a.outcome === 'in') || inOrder(a.address, b.address)
					),
				heardAs: those.flatMap(({ heard }) => heard ?? []),
				why: reasons.get(root) ?? []
			};
		});
	return {
		things,
		keyOf: (address) => byAddress.get(address)!,
		keyOfHeard: (heard) => byHeard.get(heard)!,
		doubts
	};
}
const inOrder = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
/** The least address of its own, or else of whoever hears it. */
const addressOf = (those: readonly Item[]): string => {
	const least = (of: (item: Item) => Sighting | null) =>
		those.flatMap((item) => of(item)?.address ?? []).sort()[0];
	return least(({ sighting }) => sighting) ?? `heard ${least(({ from }) => from)!}`;
};

/** By what stays with it whether it lets in or not, as far as there is such. */
function keyFor(those: readonly Item[]): string {
	const least = (of: (item: Item) => string | null | undefined): string | undefined =>
		those
			.map(of)
			.filter((value): value is string => Boolean(value))
			.sort()[0];
	const chassis =
		least(({ sighting }) => sighting && chassisKey(sighting.mac ?? '')) ??
		least(({ heard }) => heard && chassisKey(heard.chassis));
	if (chassis) return `chassis ${chassis}`;
	const serial = least(({ sighting }) => sighting && serialOf(sighting));
	if (serial) return `serial ${serial.trim()}`;
	const address = least(({ sighting, heard }) => (sighting ? sighting.address : heard!.address));
	if (address) return `address ${address}`;
	const [{ heard, from }] = those as [Item];
	return `heard ${from!.address} ${heard!.port} ${heard!.name}`;
}

const set = (value: string | null | undefined): ReadonlySet<string> => new Set(value ? [value] : []);
const clusterOf = ({ sighting, heard }: Item): Cluster => ({
	serials: set(sighting && serialOf(sighting)),
	macs: set(sighting && chassisKey(sighting.mac ?? '')),
	chassis: set(heard && chassisKey(heard.chassis)),
	hostKeys: set(sighting?.hostKey)
});
function joined(all: readonly Cluster[]): Cluster {
	const union = (of: (one: Cluster) => ReadonlySet<string>) => new Set(all.flatMap((one) => [...of(one)]));
	return {
		serials: union(({ serials }) => serials),
		macs: union(({ macs }) => macs),
		chassis: union(({ chassis }) => chassis),
		hostKeys: union(({ hostKeys }) => hostKeys)
	};
}

const MOST_NAMED = 5;
/** The addresses and neighbours that something was seen at. */
function sidesOf(those: readonly number[], items: readonly Item[]): string {
	const sides = [
		...new Set(
			those.map((index) => {
				const { sighting, heard, from } = items[index]!;
				return sighting
					? sighting.address
					: `what ${from!.name || from!.address} hears at ${heard!.port || 'a port'}`;
			})
		)
	].sort();
	const more = sides.length - MOST_NAMED;
	return sides.slice(0, MOST_NAMED).join(', ') + (more > 0 ? ` and ${more} more` : '');
}
const whyOne = (name: string, those: readonly number[], items: readonly Item[]): string =>
	`The same ${name}: ${sidesOf(those, items)}.`;
const apartWords = (name: string, value: string, those: readonly number[], items: readonly Item[]): string =>
	`${sidesOf(those, items)} show the same ${name}${name === 'host key' ? '' : ` (${value.trim()})`}, but are not one in what else they are known by. They were kept apart.`;
