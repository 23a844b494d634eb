/** Where a unit is, as far as its names tell. */
export interface Place {
	readonly site: string;
	readonly position: string;
}

/** Words for what a unit is at its site, as people put them at an end of its name. */
const KIND = /^(?:gw|gateway|rt|rtr|router|sw|switch|ap|wlan|wifi|fw|edge|cpe|core|access)\d*$/i;
const PARTED = /[-_. ]+/;
const LONGEST = 120;

/**
 * Guesses a site and a position from a unit's name, and from what it says about where it is, when it says that: `lodge3-gw` is
 * the position gw at lodge3. Without a word for a kind the whole name is the site's, and the position is called `unit`.
 */
export function guessPlace(name: string, location: string | null): Place {
	const words = name.split('.')[0]!.split(PARTED).filter(Boolean);
	const at = words.length > 1 ? [words.length - 1, 0].find((one) => KIND.test(words[one]!)) : undefined;
	const position = at === undefined ? 'unit' : words[at]!;
	const site = location?.trim() || words.filter((_, index) => index !== at).join(' ');
	return {
		site: (site || name.trim() || 'site').slice(0, LONGEST),
		position: position.slice(0, LONGEST).toLowerCase()
	};
}
