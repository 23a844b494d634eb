/** How a position stands: `open` has no unit. */
export type PositionStanding = 'open' | 'waiting' | 'moving' | 'slow' | 'stuck' | 'online' | 'not-heard';

export interface SiteStanding {
	readonly word: 'online' | 'stuck' | 'not-heard' | 'under way' | 'waiting' | 'open' | 'empty';
	readonly online: number;
	readonly positions: number;
}

const WORDS: Readonly<Record<SiteStanding['word'], string>> = {
	online: 'online',
	stuck: 'needs a person',
	'not-heard': 'not heard',
	'under way': 'under way',
	waiting: 'not heard yet',
	open: 'no units bound',
	empty: 'no positions'
};
/** How a site stands, as pages say it. */
export const siteWords = (word: SiteStanding['word']): string => WORDS[word];

/**
 * How a site stands, from its positions. Law: a site is online when it has a position and every one of
 * them is; what needs a person comes before what moves, and that before what waits. A unit that
 * was online and is not heard any more comes before what moves.
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
					: count('not-heard') > 0
						? 'not-heard'
						: count('moving', 'slow') > 0 || online > 0
							? 'under way'
							: count('waiting') > 0
								? 'waiting'
								: 'open';
	return { word, online, positions: positions.length };
}
