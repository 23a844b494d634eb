import pLimit from 'p-limit';
import { database } from '../database';
import { subscribe } from '../live';
import { log } from '../log';
import type { StandingCounts } from '../../../core/onboarding';
import { arrivals, arrivalsOf, standingCounts, type Arrival } from '../runs';
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
 * Follows arrivals, from an instant on where one is given: what has changed since then is told first. While one look-up is under way, further changes are gathered for the next, so that
 * a storm of reports costs one query at a time.
 */
export function watchArrivals(
	customerId: string | null,
	sees: (customerId: string) => boolean,
	tell: (change: ArrivalsChange) => void,
	from: Date | null = null
): () => void {
	const waiting = new Set<string>();
	let busy = false;
	let stopped = false;

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
				log.warn({ error: (error as Error).message }, 'arrivals could not be looked up for watchers');
			}
		}
		busy = false;
	};
	const changed = (ids: readonly string[]) => {
		ids.forEach((id) => waiting.add(id));
		if (!busy && waiting.size > 0) void work();
	};
	const everything = async () =>
		changed((await inTurn(() => arrivals({ customerId, limit: 5000 }))).map(({ runId }) => runId));
	const look = (looked: Promise<void> | undefined) =>
		looked?.catch((error: Error) =>
			log.warn({ error: error.message }, 'arrivals could not be looked up for watchers')
		);
	const unsubscribe = subscribe(({ topic, ids }) => {
		void look(
			topic === 'callers'
				? inTurn(refusedRuns).then(changed)
				: topic === 'runs' && ids.length === 0
					? everything()
					: undefined
		);
		if (topic === 'runs') changed(ids);
	}, sees);
	if (from) void look(inTurn(() => movedSince(from)).then(changed));
	return () => {
		stopped = true;
		unsubscribe();
	};
}

/** Clocks of two machines may differ by so much. */
const MARGIN_MS = 5_000;

/** Runs that began, moved, were heard or ended since then. */
const movedSince = (from: Date): Promise<string[]> =>
	database()('run')
		.whereRaw(`greatest(since, heard_at, ended_at) >= ?`, [new Date(from.getTime() - MARGIN_MS)])
		.limit(MOST_MOVED)
		.pluck('id');
const MOST_MOVED = 5_000;

/** Present runs whose unit somebody called for with a wrong claim code. */
async function refusedRuns(): Promise<string[]> {
	const { rows } = await database().raw(
		`select binding.run_id from caller join unit on unit.serial = caller.serial join binding on binding.unit_id = unit.id
		where caller.reason = 'wrong-code' order by last_at desc limit 50`
	);
	return (rows as { run_id: string }[]).map(({ run_id }) => run_id);
}
