/** How a position stands: `open` has no unit. */
export type PositionStanding = 'open' | 'waiting' | 'moving' | 'slow' | 'stuck' | 'online';

export interface SiteStanding {
	readonly word: 'online' | 'stuck' | 'under way' | 'waiting' | 'open' | 'empty';
	readonly online: number;
	readonly positions: number;
}

/**
 * How a site stands, from its positions. Law: a site is online when it has a position and every one of
 * them is; what needs a person comes before what moves, and that before what waits.
 */
export function siteStanding(positions: readonly PositionStanding[]): SiteStanding {
	const count = (...standings: PositionStanding[]) =>
		positions.filter((one) => standings.includes(one)).length;
	const online = count('online');
	const word =
		positions.length === 0
			? 'empty'
			: online === positions.length
				? 'online'
				: count('stuck') > 0
					? 'stuck'
					: count('moving', 'slow') > 0 || online > 0
						? 'under way'
						: count('waiting') > 0
							? 'waiting'
							: 'open';
	return { word, online, positions: positions.length };
}
