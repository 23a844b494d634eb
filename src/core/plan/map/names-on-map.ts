/** Where something is drawn, in pixels. */
export interface Box {
	readonly left: number;
	readonly right: number;
	readonly top: number;
	readonly bottom: number;
}
const meet = (one: Box, other: Box): boolean =>
	one.left <= other.right && other.left <= one.right && one.top <= other.bottom && other.top <= one.bottom;

/**
 * Which names can be written on a map, and where; `places`: where a name may stand, the best first. Law: none of them meets
 * another, or what is drawn already; whoever comes first goes first, and each stands at the first of its places that meets
 * nothing drawn or written before: only one that has no such place is left out.
 */
export function namesThatFit<Name extends { readonly places: readonly Box[] }>(
	names: readonly Name[],
	drawn: readonly Box[]
): readonly (Name & { readonly box: Box })[] {
	const covered = [...drawn];
	return names.flatMap((name) => {
		const box = name.places.find((place) => !covered.some((other) => meet(place, other)));
		if (!box) return [];
		covered.push(box);
		return [{ ...name, box }];
	});
}
