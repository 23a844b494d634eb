import type { SerialModel } from '../intake';
import type { RunStep } from '../onboarding';
import type { PositionStanding } from '../plan';
import type { UplinkKind } from '../profile';
import type { Ends } from '../watch';

/** What a technician takes along for the day: sites, their positions, and the units that could go there. */
export interface DayUnit {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly modelName: string;
	readonly customerId: string;
	/** The roles that its model can have. */
	readonly roles: readonly string[];
	/** Where it is bound already, in words; null when it is free. */
	readonly boundAt: string | null;
}
export interface DayPosition {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly roleName: string;
	readonly standing: PositionStanding;
	readonly step: RunStep | null;
	/** The serial number of what is bound there. */
	readonly serial: string | null;
	readonly advice: string | null;
}
export interface DaySite {
	readonly id: string;
	readonly name: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly address: string;
	readonly directions: string;
	readonly contact: string;
	readonly phone: string;
	readonly accessHours: string;
	readonly uplink: UplinkKind;
	readonly timeZone: string;
	readonly appointmentAt: number | null;
	readonly latitude: number | null;
	readonly longitude: number | null;
	readonly positions: readonly DayPosition[];
	/** When all that is on its way here is expected to be through; left out while nobody can say. */
	readonly ends?: Ends;
	/** How its last proof came out. */
	readonly proof: 'held' | 'failed' | null;
}
export interface Day {
	/** Whose day it is. */
	readonly personId: string;
	/** When the server made it, by the server's clock. */
	readonly madeAt: number;
	readonly sites: readonly DaySite[];
	readonly units: readonly DayUnit[];
	/** What serial numbers look like, to know one on a label. */
	readonly models: readonly SerialModel[];
}

/** What was done on the phone and waits to be sent. Its id makes sending it twice harmless. */
export type DayEntry = {
	readonly id: string;
	/** By the phone's clock. */
	readonly at: number;
	readonly siteId: string;
	readonly positionId: string | null;
} & (
	| { readonly kind: 'bind'; readonly serial: string }
	| { readonly kind: 'note'; readonly text: string }
	/** A JPEG image, in base64. */
	| { readonly kind: 'photo'; readonly image: string; readonly caption: string }
	/** Whoever is on site accepts what was done: their name, and their strokes as an SVG path in a frame of 600 by 200. */
	| { readonly kind: 'signature'; readonly name: string; readonly strokes: string }
);

/** Whether a unit could fill a position, as far as can be told without asking anybody. */
export const suits = (
	unit: Pick<DayUnit, 'customerId' | 'roles'>,
	site: Pick<DaySite, 'customerId'>,
	position: Pick<DayPosition, 'roleId'>
): boolean => unit.customerId === site.customerId && unit.roles.includes(position.roleId);

export type Scanned =
	| { readonly kind: 'fits'; readonly unit: DayUnit; readonly positions: readonly DayPosition[] }
	/** It is where it belongs already. */
	| { readonly kind: 'here'; readonly unit: DayUnit; readonly position: DayPosition }
	| { readonly kind: 'several'; readonly units: readonly DayUnit[] }
	| { readonly kind: 'no'; readonly why: string };

const plain = (text: string) => text.toUpperCase().replace(/[^0-9A-Z]/g, '');
const FEWEST_LETTERS = 4;

/**
 * What a scanned or typed label means at a site. The end of a serial number or MAC address is enough when
 * it is the end of one unit only; what fills an open position at this site comes before what does not.
 * Laws: it never names a unit whose serial and MAC do not end with what was read; a position it offers is
 * open and suits.
 */
export function meaningOf(text: string, site: DaySite, units: readonly DayUnit[]): Scanned {
	const read = plain(text);
	if (read.length < FEWEST_LETTERS)
		return { kind: 'no', why: `Type at least the last ${FEWEST_LETTERS} characters of the serial number.` };
	const fitting = units.filter(
		({ serial, mac }) => serial.endsWith(read) || (mac !== null && plain(mac).endsWith(read))
	);
	const exact = fitting.filter(({ serial }) => serial === read);
	const found = exact.length > 0 ? exact : fitting;
	if (found.length === 0)
		return {
			kind: 'no',
			why: `No unit that is known on this phone ends with ${read}. Is it claimed? Nobody else's units are kept here.`
		};
	const places = found.map((unit) => placeOf(unit, site));
	const [only] = places;
	if (places.length === 1) return only!;
	const useful = places.filter(({ kind }) => kind === 'fits');
	return useful.length === 1 ? useful[0]! : { kind: 'several', units: found.slice(0, 6) };
}

function placeOf(unit: DayUnit, site: DaySite): Scanned {
	const here = site.positions.find(({ serial }) => serial === unit.serial);
	if (here) return { kind: 'here', unit, position: here };
	if (unit.customerId !== site.customerId)
		return { kind: 'no', why: `${unit.serial} is another customer’s unit, not ${site.customerName}’s.` };
	if (unit.boundAt !== null)
		return { kind: 'no', why: `${unit.serial} is bound to ${unit.boundAt}. Unbind it there first.` };
	const positions = site.positions.filter(
		(position) => position.serial === null && suits(unit, site, position)
	);
	return positions.length > 0
		? { kind: 'fits', unit, positions }
		: {
				kind: 'no',
				why: `No open position at ${site.name} wants a ${unit.modelName}.`
			};
}

/**
 * The day as it will be once what waits is sent.
 * Laws: a unit is at one position at most; with nothing waiting the day is as it was.
 */
export function withWaiting(day: Day, entries: readonly DayEntry[]): Day {
	const bound = new Map<string, { serial: string; siteId: string }>();
	for (const entry of entries)
		if (entry.kind === 'bind' && entry.positionId) {
			for (const [position, other] of bound) if (other.serial === entry.serial) bound.delete(position);
			bound.set(entry.positionId, { serial: entry.serial, siteId: entry.siteId });
		}
	if (bound.size === 0) return day;
	const taken = new Set([...bound.values()].map(({ serial }) => serial));
	const placeNames = new Map(
		day.sites.flatMap((site) => site.positions.map(({ id, name }) => [id, `${site.name} ${name}`] as const))
	);
	const placed = new Map(
		[...bound].map(([position, { serial }]) => [serial, placeNames.get(position) ?? 'another site'])
	);
	return {
		...day,
		sites: day.sites.map((site) => ({
			...site,
			positions: site.positions.map((position) => {
				const mine = bound.get(position.id);
				if (mine)
					return { ...position, serial: mine.serial, standing: 'waiting' as const, step: null, advice: null };
				return position.serial !== null && taken.has(position.serial)
					? { ...position, serial: null, standing: 'open' as const, step: null, advice: null }
					: position;
			})
		})),
		units: day.units.map((unit) =>
			placed.has(unit.serial) ? { ...unit, boundAt: placed.get(unit.serial)! } : unit
		)
	};
}

const EARTH_KM = 6371;
const radians = (degrees: number) => (degrees * Math.PI) / 180;

/** The way between two places as the crow flies, in kilometres (haversine); null when one is not known. */
export function kilometresBetween(
	one: Pick<DaySite, 'latitude' | 'longitude'>,
	other: Pick<DaySite, 'latitude' | 'longitude'>
): number | null {
	if (one.latitude === null || one.longitude === null || other.latitude === null || other.longitude === null)
		return null;
	const half = (from: number, to: number) => Math.sin(radians(to - from) / 2) ** 2;
	const a =
		half(one.latitude, other.latitude) +
		Math.cos(radians(one.latitude)) *
			Math.cos(radians(other.latitude)) *
			half(one.longitude, other.longitude);
	return 2 * EARTH_KM * Math.asin(Math.min(1, Math.sqrt(a)));
}

/**
 * In which order to go: by appointment; what has none comes in between, each after the site that it is
 * nearest to. Law: the same sites, each once, appointments in order of time.
 */
export function travelOrder<Site extends Pick<DaySite, 'appointmentAt' | 'latitude' | 'longitude' | 'name'>>(
	sites: readonly Site[]
): readonly Site[] {
	const timed = sites
		.filter(({ appointmentAt }) => appointmentAt !== null)
		.sort((a, b) => a.appointmentAt! - b.appointmentAt! || (a.name < b.name ? -1 : 1));
	const order = [...timed];
	for (const site of sites.filter(({ appointmentAt }) => appointmentAt === null)) {
		let best = order.length;
		let least = Infinity;
		order.forEach((other, index) => {
			const far = kilometresBetween(site, other);
			if (far !== null && far < least) [best, least] = [index + 1, far];
		});
		order.splice(best, 0, site);
	}
	return order;
}

/**
 * What has to be in the van for a site: the units that are bound and not online, by serial, and one of a kind for
 * each position that has none yet.
 */
export function toBring(site: Pick<DaySite, 'positions'>): readonly {
	readonly position: string;
	readonly roleName: string;
	readonly serial: string | null;
}[] {
	return site.positions
		.filter(({ standing }) => standing !== 'online')
		.map(({ name, roleName, serial }) => ({ position: name, roleName, serial }));
}

/** What nobody has said of a site that somebody who goes there needs, in words. */
export function missingOnTheWay(
	site: Pick<DaySite, 'address' | 'contact' | 'phone' | 'positions'>
): readonly string[] {
	return [
		...(site.address === '' ? ['its address'] : []),
		...(site.contact === ''
			? ['who is there']
			: site.phone === '' && !/\d{3}/.test(site.contact)
				? ['a telephone number']
				: []),
		...(site.positions.length === 0 ? ['positions'] : [])
	];
}

/** The address of a place for whatever map a phone has (RFC 5870); null where neither place nor address is known. */
export function mapLink({
	latitude,
	longitude,
	address,
	name
}: Pick<DaySite, 'latitude' | 'longitude' | 'address' | 'name'>): string | null {
	const query = encodeURIComponent([name, address].filter(Boolean).join(', '));
	if (latitude !== null && longitude !== null)
		return `geo:${latitude},${longitude}?q=${latitude},${longitude}(${query})`;
	return address === '' ? null : `geo:0,0?q=${query}`;
}

const WRONG_CLOCK_MS = 2 * 60_000;

/** When something was done, by the server's clock, from when the phone says it was and what its clock says now. Never in the future. */
export const correctedTime = (at: number, phoneNow: number, serverNow: number): number =>
	Math.min(serverNow, at + (serverNow - phoneNow));
/** By how much a phone's clock is wrong, in milliseconds, when that is worth saying; else null. */
export const clockOff = (phoneNow: number, serverNow: number): number | null =>
	Math.abs(phoneNow - serverNow) > WRONG_CLOCK_MS ? phoneNow - serverNow : null;
