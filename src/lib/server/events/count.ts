import { log } from '../log';

/** What became of what was said, for the metrics. */
type Became =
	| 'kept'
	| 'from a stranger'
	| 'too many of one unit'
	| 'too much at once'
	| 'lost before it was read'
	| 'connection refused';
const counts = new Map<Became, number>();
/** Since this process began. */
export const eventCounts = (): ReadonlyMap<Became, number> => counts;

const TELL_MS = 60_000;
let toldAt = -Infinity;
export function countEvents(became: Became, count = 1): void {
	counts.set(became, (counts.get(became) ?? 0) + count);
	// Once a minute: whoever floods must not fill the log instead
	if (became === 'kept' || performance.now() - toldAt < TELL_MS) return;
	toldAt = performance.now();
	log.warn(Object.fromEntries(counts), 'not all that units said is kept');
}
