import type { Value, Values } from '../profile';

/**
 * How a site follows its pattern. What was stamped is kept beside what is: where the two agree the site
 * goes with its pattern; where they differ somebody decided otherwise at that site, and that stays.
 */
export interface PatternPlace {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly profileId: string;
	readonly values: Values;
}
export interface Pattern {
	readonly siteValues: Values;
	readonly places: readonly PatternPlace[];
}
/** What a pattern gave when it was stamped. */
export interface Stamp {
	readonly profileId: string;
	readonly values: Values;
}
export interface StampedPlace {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly profileId: string;
	readonly values: Values;
	/** The pattern's place it came from; null when it is the site's own. */
	readonly patternPlaceId: string | null;
	readonly stamped: Stamp | null;
	/** A unit is bound there, or was: its history keeps the position. */
	readonly hasHistory: boolean;
}
export interface StampedSite {
	readonly values: Values;
	readonly stamped: Values | null;
	readonly places: readonly StampedPlace[];
}

export type FollowChange =
	| { readonly kind: 'add'; readonly place: PatternPlace }
	/** A place of the same name and role is there already: it becomes the pattern's. */
	| { readonly kind: 'adopt'; readonly place: PatternPlace; readonly position: StampedPlace }
	| { readonly kind: 'remove'; readonly position: StampedPlace }
	| { readonly kind: 'rename'; readonly position: StampedPlace; readonly to: string }
	| { readonly kind: 'profile'; readonly position: StampedPlace; readonly to: string }
	| {
			readonly kind: 'value';
			/** Null at the site itself. */
			readonly position: StampedPlace | null;
			readonly field: string;
			readonly from: Value | null;
			readonly to: Value | null;
	  };
/** What differs and stays, and why. */
export interface Kept {
	readonly position: StampedPlace | null;
	/** A field, or what else of the position. */
	readonly what: string;
	readonly why: 'the site’s own' | 'has history' | 'the role differs' | 'the name is taken';
}
export interface Following {
	readonly changes: readonly FollowChange[];
	readonly kept: readonly Kept[];
}

const same = (one: Value | undefined, other: Value | undefined): boolean =>
	one === other || JSON.stringify(one) === JSON.stringify(other);

/**
 * What has to change so that a site is as its pattern says.
 * Laws: a site just stamped has nothing to change; once the changes are made there are none left, except that
 * a name which only they set free is taken by the next time; a value that was given at the site itself is
 * never changed.
 */
export function following(pattern: Pattern, site: StampedSite): Following {
	const changes: FollowChange[] = [];
	const kept: Kept[] = [];
	const taken = new Map(site.places.map((place) => [place.name.toLowerCase(), place]));
	compareValues(pattern.siteValues, site.values, site.stamped ?? {}, null, changes, kept);
	for (const place of pattern.places) {
		const own = site.places.find(({ patternPlaceId }) => patternPlaceId === place.id);
		if (own) comparePlace(place, own, taken, changes, kept);
		else {
			const named = taken.get(place.name.toLowerCase());
			if (!named) changes.push({ kind: 'add', place });
			else if (named.roleId !== place.roleId || named.patternPlaceId !== null)
				kept.push({ position: named, what: 'position', why: 'the role differs' });
			else changes.push({ kind: 'adopt', place, position: named });
		}
	}
	const planned = new Set(pattern.places.map(({ id }) => id));
	for (const position of site.places) {
		if (position.patternPlaceId === null || planned.has(position.patternPlaceId)) continue;
		if (position.hasHistory) kept.push({ position, what: 'position', why: 'has history' });
		else changes.push({ kind: 'remove', position });
	}
	return { changes, kept };
}

function comparePlace(
	place: PatternPlace,
	own: StampedPlace,
	taken: ReadonlyMap<string, StampedPlace>,
	changes: FollowChange[],
	kept: Kept[]
): void {
	if (own.roleId !== place.roleId) {
		kept.push({ position: own, what: 'position', why: 'the role differs' });
		return;
	}
	if (own.name !== place.name) {
		const holder = taken.get(place.name.toLowerCase());
		if (holder && holder.id !== own.id) kept.push({ position: own, what: 'name', why: 'the name is taken' });
		else changes.push({ kind: 'rename', position: own, to: place.name });
	}
	if (own.profileId !== place.profileId) {
		if (own.stamped && own.stamped.profileId !== own.profileId)
			kept.push({ position: own, what: 'profile', why: 'the site’s own' });
		else changes.push({ kind: 'profile', position: own, to: place.profileId });
	}
	compareValues(place.values, own.values, own.stamped?.values ?? {}, own, changes, kept);
}

function compareValues(
	wanted: Values,
	now: Values,
	stamped: Values,
	position: StampedPlace | null,
	changes: FollowChange[],
	kept: Kept[]
): void {
	const names = new Set([...Object.keys(wanted), ...Object.keys(stamped)]);
	for (const field of [...names].sort()) {
		if (same(wanted[field], now[field])) continue;
		if (same(stamped[field], now[field]))
			changes.push({
				kind: 'value',
				position,
				field,
				from: now[field] ?? null,
				to: wanted[field] ?? null
			});
		else if (!same(wanted[field], stamped[field]) || wanted[field] !== undefined)
			kept.push({ position, what: field, why: 'the site’s own' });
	}
}
