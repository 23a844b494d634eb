import { ERRAND_KINDS, errandWords } from '../../../core/errand';
import { errandsOf } from '../connections';
import { database } from '../database';
import { LIMEN, readLedger } from '../ledger';
import { eventsOfUnit } from '../runs';

/** One thing that happened with a unit: what it said or did, what was asked of it, or what somebody did. */
export interface Happened {
	/** In this story only. */
	readonly id: string;
	readonly at: Date;
	readonly by: 'unit' | 'errand' | 'person';
	readonly title: string;
	/** The unit's own words, or ours. */
	readonly words: string;
	readonly bad: boolean;
	/** What kind of event it is: the progress type, or what happened. */
	readonly type: string;
	/** Of the unit's own: the attempt that it belongs to. */
	readonly run: number | null;
	/** Where what was said word for word can be read. */
	readonly errandId: string | null;
}

const EVENTS: Readonly<Record<string, string>> = {
	call: 'asked what to become',
	redirect: 'asked where to ask',
	bundle: 'files made for it',
	key: 'its key was said',
	'call-home': 'dialled home',
	proof: 'proof',
	withheld: 'given nothing',
	cancel: 'cancelled',
	lost: 'lost its connection',
	back: 'dialled home again'
};
const BAD_ERRANDS = new Set(['failed', 'expired', 'uncertain']);
const MOST = 300;

/**
 * A unit's story, newest first: what it said and did in all its runs, what was asked of it, and (for whoever
 * may see records) what people did with it.
 */
export async function storyOf(
	unitId: string,
	{ records }: { readonly records: boolean }
): Promise<readonly Happened[]> {
	const [events, errands, entries] = await Promise.all([
		eventsOfUnit(unitId, MOST),
		errandsOf(unitId, MOST),
		records ? readLedger(database(), { subjectId: unitId }, MOST) : []
	]);
	const story: Happened[] = [
		...events.map((event) => ({
			id: `event ${event.id}`,
			at: event.at,
			by: 'unit' as const,
			title: `${event.progressType ?? EVENTS[event.kind] ?? event.kind}${event.stepBefore === event.stepAfter ? '' : ` → ${event.stepAfter}`}`,
			words: event.words,
			bad: event.kind === 'withheld' || (event.progressType?.endsWith('-error') ?? false),
			type: event.progressType ?? event.kind,
			run: event.runNumber,
			errandId: null
		})),
		...errands.map((errand) => ({
			id: `errand ${errand.id}`,
			at: errand.endedAt ?? errand.begunAt ?? errand.askedAt,
			by: 'errand' as const,
			title: `${ERRAND_KINDS[errand.kind]?.words ?? errand.kind}: ${errandWords(errand.state)}`,
			words: [errand.askedBy && `Asked for by ${errand.askedBy}.`, errand.state !== 'done' && errand.words]
				.filter(Boolean)
				.join(' '),
			bad: BAD_ERRANDS.has(errand.state),
			type: `errand ${errand.state}`,
			run: null,
			errandId: errand.attempts > 0 ? errand.id : null
		})),
		// What Limen itself did stands among the events
		...entries
			.filter(({ actor }) => actor !== LIMEN.name)
			.map((entry) => ({
				id: `entry ${entry.id}`,
				at: entry.at,
				by: 'person' as const,
				title: `${entry.actor}: ${entry.act}`,
				words: [entry.words, entry.reason && `Why: ${entry.reason}`].filter(Boolean).join(' '),
				bad: entry.result === 'refused',
				type: entry.act,
				run: null,
				errandId: null
			}))
	];
	return story.sort((a, b) => b.at.getTime() - a.at.getTime()).slice(0, MOST);
}
