import { endsWords, type Answered, type Diagnosis } from '../../../core/watch';
import { refuse, type Act } from '../act';
import { BOOTSTRAP, runAs } from '../database';
import { progressAt, type ShownProgress } from '../paper';
import { outlook } from './ahead';
import { answerQuestion, diagnosesAt } from './diagnosis';

/** What a card's address shows, with when all that is on its way will be done, and what to ask about what does not come. */
export interface ExpectedProgress extends Omit<ShownProgress, 'siteId' | 'timeZone' | 'positions'> {
	/** In words; null while nobody can say. */
	readonly expected: string | null;
	readonly positions: readonly (ShownProgress['positions'][0] & { readonly diagnosis: Diagnosis | null })[];
}

/** The same as `progressAt`: null when there is no such address, or not any more. Anybody may ask. */
export async function expectedProgressAt(token: string, now: number): Promise<ExpectedProgress | null> {
	const found = await progressAt(token);
	if (!found) return null;
	const { siteId, timeZone, positions, ...progress } = found;
	const [{ sites }, diagnoses] = await runAs(BOOTSTRAP, () =>
		Promise.all([outlook([siteId], now), diagnosesAt(siteId)])
	);
	const ends = sites.get(siteId);
	return {
		...progress,
		positions: positions.map((one) => ({ ...one, diagnosis: diagnoses.get(one.name) ?? null })),
		expected: ends && ends.latest > now ? `We expect it to be ${endsWords(ends, now, timeZone)}.` : null
	};
}

/** Notes what whoever holds a site's card answers about one of its boxes. Only what is asked now can be answered, and once. */
export async function answerFromSite(
	token: string,
	box: string,
	given: Answered,
	address: string | null
): Promise<Act<unknown>> {
	const found = await progressAt(token);
	if (!found)
		return refuse('This address is not good any more. Ask whoever gave you the card for a new one.');
	return runAs(BOOTSTRAP, async () => {
		const diagnosis = (await diagnosesAt(found.siteId)).get(box);
		if (!diagnosis) return refuse('There is nothing to be asked about this box any more.');
		const somebody = { name: 'Somebody at the site', address, may: (act: string) => act === 'bind' };
		return answerQuestion(diagnosis.runId, given, somebody);
	});
}
