import { endsWords } from '../../../core/watch';
import { BOOTSTRAP, runAs } from '../database';
import { progressAt, type ShownProgress } from '../paper';
import { outlook } from './ahead';

/** What a card's address shows, with when all that is on its way will be done, in words; null while nobody can say. */
export type ExpectedProgress = Omit<ShownProgress, 'siteId' | 'timeZone'> & {
	readonly expected: string | null;
};

/** The same as `progressAt`: null when there is no such address, or not any more. Anybody may ask. */
export async function expectedProgressAt(token: string, now: number): Promise<ExpectedProgress | null> {
	const found = await progressAt(token);
	if (!found) return null;
	const { siteId, timeZone, ...progress } = found;
	const { sites } = await runAs(BOOTSTRAP, () => outlook([siteId], now));
	const ends = sites.get(siteId);
	return {
		...progress,
		expected: ends && ends.latest > now ? `We expect it to be ${endsWords(ends, now, timeZone)}.` : null
	};
}
