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
 * Which names can be written on a map. Law: none of them meets another, or what is drawn already; whoever comes first goes
 * first, and is left out only for what is drawn or written before.
 */
export function namesThatFit<Name extends { readonly box: Box }>(
	names: readonly Name[],
	drawn: readonly Box[]
): readonly Name[] {
	const covered = [...drawn];
	return names.filter(({ box }) => {
		if (covered.some((other) => meet(box, other))) return false;
		covered.push(box);
		return true;
	});
}
