import type { Cable } from '../plan';
import { compareCabling, type HeardPosition } from '../proof';
import { counted } from '../text';
import { findThings, type FoundThing } from './things';
import { chassisKey, type Sighting } from './sighting';

/** A position of a planned site, with its ports' printed names by what they are for, and its unit. */
export interface PlannedPlace {
	readonly id: string;
	readonly name: string;
	readonly ports: Readonly<Record<string, string>>;
	readonly unit: { readonly maker: string; readonly serial: string; readonly mac: string | null } | null;
}
export interface PlannedSite {
	readonly id: string;
	readonly name: string;
	readonly positions: readonly PlannedPlace[];
	readonly cables: readonly Cable[];
}
/** What of a site is otherwise than planned, each in words. */
export interface SiteBeside {
	readonly siteId: string;
	readonly name: string;
	/** How many of its units were found. */
	readonly found: number;
	readonly planned: number;
	readonly missing: readonly string[];
	readonly misplaced: readonly string[];
	readonly extra: readonly string[];
}

/**
 * What a survey found, beside what is planned for sites: units that were not found, cables that lead elsewhere or were not seen,
 * and what hangs at a port and belongs to no plan. The cables are compared as a site's own proof compares them. Laws: a site that
 * was found as it is planned has nothing in it; what could not be asked is not told to be wrong.
 */
export function besidePlan(
	sites: readonly PlannedSite[],
	sightings: readonly Sighting[]
): readonly SiteBeside[] {
	const { things } = findThings(sightings);
	const thingOf = new Map<string, FoundThing>();
	for (const thing of things) {
		for (const { maker, serial, mac } of thing.sightings) {
			if (serial) thingOf.set(`${maker} ${serial}`, thing);
			if (mac) thingOf.set(chassisKey(mac), thing);
		}
		for (const { chassis } of thing.heardAs) thingOf.set(chassisKey(chassis), thing);
	}
	const own = new Map<string, { readonly site: PlannedSite; readonly position: PlannedPlace }>();
	const macOf = (unit: NonNullable<PlannedPlace['unit']>): string | null =>
		thingOf.get(`${unit.maker} ${unit.serial}`)?.sightings.find(({ mac }) => mac)?.mac ?? unit.mac;
	for (const site of sites)
		for (const position of site.positions) {
			const mac = position.unit && macOf(position.unit);
			if (mac) own.set(chassisKey(mac), { site, position });
		}
	return sites.map((site) => besideSite(site, thingOf, macOf, own));
}

function besideSite(
	site: PlannedSite,
	thingOf: ReadonlyMap<string, FoundThing>,
	macOf: (unit: NonNullable<PlannedPlace['unit']>) => string | null,
	own: ReadonlyMap<string, { readonly site: PlannedSite; readonly position: PlannedPlace }>
): SiteBeside {
	const bound = site.positions.filter(({ unit }) => unit !== null);
	const foundAs = (unit: NonNullable<PlannedPlace['unit']>) => {
		const mac = macOf(unit);
		return (
			thingOf.get(`${unit.maker} ${unit.serial}`) ?? (mac === null ? undefined : thingOf.get(chassisKey(mac)))
		);
	};
	const heardBy = (thing: FoundThing | undefined) =>
		thing?.sightings
			.find(({ outcome }) => outcome === 'in')
			?.heard.map((row) => ({
				port: row.port,
				chassis: row.chassis,
				neighbour_port: row.farPort,
				name: row.name,
				description: row.description
			})) ?? null;
	const positions = site.positions.map(({ id, name, ports, unit }): HeardPosition => ({
		id,
		name,
		ports,
		chassis: unit && macOf(unit),
		heard: unit && heardBy(foundAs(unit))
	}));
	const { cables, strangers } = compareCabling(site.cables, positions);
	const nameOf = new Map(site.positions.map((position) => [position.id, position]));
	const end = ({ positionId, port }: Cable['near']) => {
		const position = nameOf.get(positionId);
		return `${position?.name ?? 'a position'} ${position?.ports[port] ?? port}`;
	};
	/** Of another site's, which it hears. */
	const elsewhere = (positionId: string) =>
		positions
			.find(({ id }) => id === positionId)
			?.heard?.flatMap(({ chassis }) => own.get(chassisKey(chassis ?? '')) ?? [])
			.find((other) => other.site.id !== site.id);
	return {
		siteId: site.id,
		name: site.name,
		planned: bound.length,
		found: bound.filter(({ unit }) => foundAs(unit!) !== undefined).length,
		missing: bound
			.filter(({ unit }) => foundAs(unit!) === undefined)
			.map(({ name, unit }) => `${name} (${unit!.serial}) was not found.`),
		misplaced: cables.flatMap(({ cable: { near, far }, state, found }) => {
			if (far === null || (state !== 'missing' && state !== 'elsewhere')) return [];
			const planned = `${end(near)} should be in ${end(far)}`;
			if (state === 'elsewhere') return [`${planned}: it is ${found!.near} in ${found!.far}.`];
			const other = elsewhere(near.positionId);
			return [
				other
					? `${planned}: it hangs on ${other.position.name} of ${other.site.name}.`
					: `${planned}: the cable was not seen.`
			];
		}),
		extra: strangersOf(strangers, nameOf)
	};
}

const MOST_NAMED = 5;
function strangersOf(
	strangers: ReturnType<typeof compareCabling>['strangers'],
	nameOf: ReadonlyMap<string, PlannedPlace>
): readonly string[] {
	const words = strangers.map(
		({ positionId, port, name, description, chassis }) =>
			`At ${nameOf.get(positionId)?.name ?? 'a position'} ${port}: ${[name || chassis, description].filter(Boolean).join(', ')}.`
	);
	const more = words.length - MOST_NAMED;
	return more > 0 ? [...words.slice(0, MOST_NAMED), `And ${counted(more, 'more thing')}.`] : words;
}
