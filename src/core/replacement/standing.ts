/** A place whose unit is to be replaced by one of another model. */
export interface PlaceToReplace {
	/** Whether the unit that is bound there is the old one, the one of the new model, or neither. */
	readonly bound: 'old' | 'new' | 'other';
	/** The serial number of the unit that is meant for it. */
	readonly unit: string | null;
	readonly problems: readonly string[];
}
export const REPLACEMENT_STANDINGS = [
	'does not match',
	'ready',
	'no unit yet',
	'replaced',
	'left it'
] as const;
export type ReplacementStanding = (typeof REPLACEMENT_STANDINGS)[number];

/** How a place stands: what keeps it from being replaced comes first. */
export function replacementStanding({ bound, unit, problems }: PlaceToReplace): ReplacementStanding {
	if (bound === 'new') return 'replaced';
	if (bound === 'other') return 'left it';
	if (problems.length > 0) return 'does not match';
	return unit === null ? 'no unit yet' : 'ready';
}
