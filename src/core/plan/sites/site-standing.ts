/** How a position stands: `open` has no unit. */
export type PositionStanding =
	'open' | 'waiting' | 'moving' | 'late' | 'stalled' | 'stuck' | 'online' | 'not-heard';

export interface SiteStanding {
	readonly word:
		| 'online'
		| 'stuck'
		| 'proof-failed'
		| 'not-heard'
		| 'under way'
		| 'unproven'
		| 'waiting'
		| 'open'
		| 'empty';
	readonly online: number;
	readonly positions: number;
}

const WORDS: Readonly<Record<SiteStanding['word'], string>> = {
	online: 'online',
	stuck: 'needs a person',
	'proof-failed': 'proof does not hold',
	'not-heard': 'not heard',
	'under way': 'under way',
	unproven: 'not yet proven',
	waiting: 'not heard yet',
	open: 'no units bound',
	empty: 'no positions'
};
/** How a site stands, as pages say it. */
export const siteWords = (word: SiteStanding['word']): string => WORDS[word];

/** How the last proof of a site came out; null before the first, and since another unit was bound. */
export type SiteProof = 'held' | 'failed' | null;
const PROVEN = { held: 'online', failed: 'proof-failed', none: 'unproven' } as const;

/**
 * How a site stands, from its positions and its last proof. Law: a site is online when it has a position, every one
 * of them is, and its proof held; what needs a person comes before what moves, and that before what waits. A unit that
 * was online and is not heard any more comes before what moves. The database's view `site_standing` says the same.
 */
export function siteStanding(positions: readonly PositionStanding[], proof: SiteProof): SiteStanding {
	const count = (...standings: PositionStanding[]) =>
		positions.filter((one) => standings.includes(one)).length;
	const online = count('online');
	const word =
		positions.length === 0
			? 'empty'
			: online === positions.length
				? PROVEN[proof ?? 'none']
				: count('stuck', 'stalled') > 0
					? 'stuck'
					: count('not-heard') > 0
						? 'not-heard'
						: count('moving', 'late') > 0 || online > 0
							? 'under way'
							: count('waiting') > 0
								? 'waiting'
								: 'open';
	return { word, online, positions: positions.length };
}
