import { parseAddress, blockOf, printPrefix } from '../address';
import { guessPlace } from '../takeon';
import { findLinks, wasAsked, type Link } from './links';
import type { SightOutcome, Sighting } from './sighting';
import { findThings, type FoundThing } from './things';

/** What Limen knows of a unit that it has. */
export interface KnownUnit {
	readonly unitId: string;
	readonly site: string | null;
	readonly position: string | null;
}
/** A thing of a survey as people see it. */
export interface SurveyedThing {
	readonly key: string;
	/** As it calls itself, or as others call it. */
	readonly name: string;
	/** What came of asking it; null when nobody could: only its neighbours tell of it. */
	readonly outcome: SightOutcome | null;
	readonly words: string;
	readonly addresses: readonly string[];
	readonly maker: string | null;
	readonly model: string | null;
	readonly serial: string | null;
	readonly version: string | null;
	readonly mac: string | null;
	/** What it says of itself to its neighbours. */
	readonly description: string;
	/** The site, building and floor, as named or as guessed. */
	readonly group: string;
	/** Where the group is not Limen's own: by what it was guessed. */
	readonly guessedBy: 'name' | 'neighbour' | 'address' | null;
	/** How many cables it is away from the edge. */
	readonly layer: number;
	readonly known: KnownUnit | null;
	readonly why: readonly string[];
}
export interface SurveyMap {
	readonly things: readonly SurveyedThing[];
	readonly links: readonly Link[];
	readonly doubts: readonly string[];
}

/** Which of a survey's things lie at the edge, towards the outside, when their model says so. */
type IsEdge = (model: string) => boolean;

/**
 * All that a survey found, as people see it. `knownBy`: what Limen has of a unit that let in, by maker and serial number.
 * Laws: each thing is in exactly one group and has a layer; every end of a link is a thing.
 */
export function mapOf(
	sightings: readonly Sighting[],
	knownBy: (maker: string, serial: string) => KnownUnit | null,
	isEdge: IsEdge = () => false
): SurveyMap {
	const found = findThings(sightings);
	const links = findLinks(found);
	const layers = layersOf(found.things, links, isEdge);
	const beside = besideOf(links);
	const own = new Map(found.things.map((thing) => [thing.key, ownGroup(thing, knownBy)]));
	const things = found.things.map((thing): SurveyedThing => {
		const [best] = thing.sightings;
		const [heard] = thing.heardAs;
		const name =
			best?.name ||
			thing.heardAs.find(({ name: told }) => told !== '')?.name ||
			best?.serial ||
			best?.address;
		return {
			key: thing.key,
			name: name || heard?.chassis || heard?.address || 'no name',
			outcome: best?.outcome ?? null,
			words: best?.words ?? '',
			addresses: [
				...new Set([
					...thing.sightings.map(({ address }) => address),
					...thing.heardAs.flatMap(({ address }) => address || [])
				])
			],
			maker: best?.maker ?? null,
			model: best?.model ?? null,
			serial: best?.serial ?? null,
			version: best?.version ?? null,
			mac: best?.mac || heard?.chassis || null,
			description: thing.heardAs.find(({ description }) => description !== '')?.description ?? '',
			...groupOf(thing, own, beside),
			layer: layers.get(thing.key)!,
			known: knownOf(thing, knownBy),
			why: thing.why
		};
	});
	return { things, links, doubts: found.doubts };
}

const knownOf = ({ sightings }: FoundThing, knownBy: Parameters<typeof mapOf>[1]): KnownUnit | null => {
	for (const { maker, serial } of sightings) {
		const known = maker && serial ? knownBy(maker, serial) : null;
		if (known) return known;
	}
	return null;
};

type Group = Pick<SurveyedThing, 'group' | 'guessedBy'>;

/** A word for a building or a floor at the end of a name: b2, bldg-c, floor3, f1. */
const AREA = /^(?:(b|bldg|building|house)([0-9]{1,3}|[a-h])|(f|fl|floor|level)([0-9]{1,3}))$/i;
/** Names of things that say nothing of a place: those that the maker gave. */
const SAYS_NOTHING = /^(?:localhost|switch|router|gateway|ap|default|unit|device)?$/i;

/** By its site in Limen, or else its name; null when neither says anything. */
function ownGroup(thing: FoundThing, knownBy: Parameters<typeof mapOf>[1]): Group | null {
	const site = knownOf(thing, knownBy)?.site;
	if (site) return { group: site, guessedBy: null };
	const name = thing.sightings.find((one) => one.name)?.name ?? thing.heardAs.find((one) => one.name)?.name;
	if (!name || SAYS_NOTHING.test(name) || parseAddress(name)) return null;
	const { site: guessed, position } = guessPlace(name, null);
	// Without a word for what it is, a name is that of a thing and not of a place
	if (position === 'unit') return null;
	const words = guessed.split(' ');
	const areas = words.filter((word) => AREA.test(word));
	const place = words.filter((word) => !AREA.test(word)).join(' ');
	return { group: [place || guessed, ...areas.map(areaWords)].join(', '), guessedBy: 'name' };
}
function areaWords(word: string): string {
	const [, , building, , floor] = AREA.exec(word)!;
	return building === undefined ? `floor ${floor}` : `building ${building.toUpperCase()}`;
}

/** By its site or its name; with what it hangs on when these do not say, or nobody could ask it; or else by the network of its address. */
function groupOf(
	{ key, sightings, heardAs }: FoundThing,
	own: ReadonlyMap<string, Group | null>,
	beside: ReadonlyMap<string, readonly string[]>
): Group {
	const said = own.get(key);
	if (said?.guessedBy === null) return said;
	const sites = new Set(
		(beside.get(key) ?? []).flatMap((other) => {
			const group = own.get(other);
			return group?.guessedBy === null ? group.group : [];
		})
	);
	// Of what nobody could ask, the site that it hangs on says more than its name
	if (sites.size === 1 && !sightings.some(({ outcome }) => outcome === 'in'))
		return { group: [...sites][0]!, guessedBy: 'neighbour' };
	if (said) return said;
	const groups = [...new Set((beside.get(key) ?? []).flatMap((other) => own.get(other)?.group ?? []))];
	if (groups.length === 1) return { group: groups[0]!, guessedBy: 'neighbour' };
	const address = parseAddress(sightings[0]?.address ?? heardAs.find((one) => one.address)?.address ?? '');
	if (address)
		return {
			group: printPrefix(blockOf(address, address.version === 4 ? 24 : 64)),
			guessedBy: 'address'
		};
	return groups.length > 0
		? { group: groups.sort()[0]!, guessedBy: 'neighbour' }
		: { group: 'elsewhere', guessedBy: 'address' };
}

function besideOf(links: readonly Link[]): ReadonlyMap<string, readonly string[]> {
	const beside = new Map<string, string[]>();
	const note = (one: string, other: string) => {
		const those = beside.get(one);
		if (those) those.push(other);
		else beside.set(one, [other]);
	};
	for (const { from, to } of links) {
		note(from.thing, to.thing);
		note(to.thing, from.thing);
	}
	return beside;
}

/** Begun at more than this share of what lets in, a survey says nothing of what lies at the edge. */
const MOST_BEGUN = 0.25;

/** Breadth-first from where the survey began; or from what stands towards the outside, where it began nearly everywhere. */
function layersOf(
	things: readonly FoundThing[],
	links: readonly Link[],
	isEdge: IsEdge
): ReadonlyMap<string, number> {
	const beside = besideOf(links);
	const layers = new Map<string, number>();
	const spread = (roots: readonly FoundThing[]) => {
		const queue = roots.map(({ key }) => key).filter((key) => !layers.has(key));
		for (const key of queue) layers.set(key, 0);
		for (const key of queue)
			for (const other of beside.get(key) ?? [])
				if (!layers.has(other)) {
					layers.set(other, layers.get(key)! + 1);
					queue.push(other);
				}
	};
	const inside = things.filter(wasAsked);
	const begun = inside.filter((thing) => depthOf(thing) === 0);
	spread(
		begun.length <= Math.max(1, inside.length * MOST_BEGUN)
			? begun
			: inside.filter(({ sightings }) => sightings.some(({ model }) => model && isEdge(model)))
	);
	const byDepth = [...things].sort((a, b) => depthOf(a) - depthOf(b) || (a.key < b.key ? -1 : 1));
	for (const thing of byDepth) spread([thing]);
	return layers;
}
const depthOf = ({ sightings }: FoundThing): number =>
	Math.min(Infinity, ...sightings.map(({ depth }) => depth));
