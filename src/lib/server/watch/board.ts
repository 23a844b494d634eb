import pLimit from 'p-limit';
import { database } from '../database';
import { subscribe } from '../live';
import { log } from '../log';
import type { StandingCounts } from '../../../core/onboarding';
import { arrivalsOf, standingCounts, type Arrival } from '../runs';
import { withEnds, type Expected } from './ahead';

/** What a watcher of arrivals is told: rows as they are now, runs that are no longer present, and the counts. */
export interface ArrivalsChange {
	readonly rows: readonly Expected<Arrival>[];
	readonly gone: readonly string[];
	readonly counts: StandingCounts;
}

const MOST_AT_ONCE = 500;
/** Watchers take turns: however many there are, they leave the rest of the pool to whoever acts. */
const inTurn = pLimit(2);

/**
 * Follows arrivals. While one look-up is under way, further changes are gathered for the next, so that a storm of reports costs
 * one query at a time. Where nobody knows what has changed, `anew` is told: everything is to be fetched again.
 */
export function watchArrivals(
	customerId: string | null,
	sees: (customerId: string) => boolean,
	tell: (change: ArrivalsChange) => void,
	anew: () => void
): () => void {
	const waiting = new Set<string>();
	let busy = false;
	let stopped = false;

	const failed = (error: Error) => {
		log.warn({ error: error.message }, 'arrivals could not be looked up for watchers');
		if (!stopped) anew();
	};
	const work = async () => {
		busy = true;
		while (waiting.size > 0 && !stopped) {
			const ids = [...waiting].slice(0, MOST_AT_ONCE);
			ids.forEach((id) => waiting.delete(id));
			try {
				const [found, counts] = await inTurn(async () =>
					stopped ? [[], null] : [await withEnds(await arrivalsOf(ids)), await standingCounts(customerId)]
				);
				if (counts === null) break;
				const present = new Set(found.map(({ runId }) => runId));
				const rows = found.filter((row) => customerId === null || row.customerId === customerId);
				if (!stopped) tell({ rows, gone: ids.filter((id) => !present.has(id)), counts });
			} catch (error) {
				failed(error as Error);
			}
		}
		busy = false;
	};
	const changed = (ids: readonly string[]) => {
		ids.forEach((id) => waiting.add(id));
		if (!busy && waiting.size > 0) void work();
	};
	const unsubscribe = subscribe(({ topic, ids }) => {
		if (topic === 'callers') void inTurn(refusedRuns).then(changed, failed);
		else if (topic === 'runs' && ids.length === 0) anew();
		else if (topic === 'runs') changed(ids);
	}, sees);
	return () => {
		stopped = true;
		unsubscribe();
	};
}

/** Present runs whose unit somebody called for with a wrong claim code. */
async function refusedRuns(): Promise<string[]> {
	const { rows } = await database().raw(
		`select binding.run_id from caller join unit on unit.serial = caller.serial join binding on binding.unit_id = unit.id
		where caller.reason = 'wrong-code' order by last_at desc limit 50`
	);
	return (rows as { run_id: string }[]).map(({ run_id }) => run_id);
}
