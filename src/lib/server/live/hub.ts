import pg from 'pg';
import { databaseUrl, identity, runAs } from '../database';
import { log } from '../log';
import { CHANNEL, TOPICS, type Change } from './notify';

/**
 * One listening connection per process; everyone who watches subscribes here. A lost connection is
 * mended with growing pauses, and then everything counts as changed, since notifications were missed.
 */
type Listener = (change: Change) => void;
interface Subscription {
	readonly listener: Listener;
	readonly sees: (customerId: string) => boolean;
}
const subscriptions = new Set<Subscription>();
const LONGEST_PAUSE_MS = 5_000;
/** What was told lately is kept for those who come after it: a page is made before it can listen. */
const KEPT_MS = 60_000;
const MOST_KEPT = 5_000;
const kept: (Omit<Change, 'ids'> & { readonly at: number })[] = [];
/** Nothing that was told since is missing there. */
let keptSince = performance.now();

let client: pg.Client | undefined;
let stopped = false;
let retry: NodeJS.Timeout | undefined;

/**
 * Calls the listener with every change it may know of, as whoever subscribes now. Of a customer that is
 * not seen nothing is told, not even that something changed.
 */
export function subscribe(listener: Listener, sees: (customerId: string) => boolean): () => void {
	const who = identity();
	const hear = (change: Change) =>
		void runAs(who, () => listener(change)).catch((error: Error) =>
			log.warn({ topic: change.topic, error: error.message }, 'live updates: a watcher could not be told')
		);
	const subscription = { listener: hear, sees };
	subscriptions.add(subscription);
	return () => subscriptions.delete(subscription);
}

/** Whether a change of one of the topics was told within the last milliseconds, or may have been before any is remembered here. */
export function wasToldWithin(
	milliseconds: number,
	topics: ReadonlySet<string>,
	sees: (customerId: string) => boolean
): boolean {
	const since = performance.now() - milliseconds;
	if (since < keptSince) return true;
	return kept.some(
		({ at, topic, customerId }) =>
			at >= since && topics.has(topic) && (customerId === null || sees(customerId))
	);
}

/** How many watch now. */
export const watchers = (): number => subscriptions.size;

export async function startHub(): Promise<void> {
	stopped = false;
	await connect(250);
}

export async function stopHub(): Promise<void> {
	stopped = true;
	clearTimeout(retry);
	await client?.end().catch(() => undefined);
	client = undefined;
}

async function connect(pause: number): Promise<void> {
	const next = new pg.Client({ connectionString: databaseUrl(), application_name: 'limen hub' });
	let lost = false;
	const lose = (error?: Error) => {
		if (lost || stopped) return;
		lost = true;
		log.warn({ error: error?.message }, 'live updates: connection lost, connecting again');
		next.end().catch(() => undefined);
		retry = setTimeout(() => void connect(Math.min(pause * 2, LONGEST_PAUSE_MS)), pause);
	};
	next.on('error', lose);
	next.on('end', () => lose());
	next.on('notification', ({ payload }) => tell(JSON.parse(payload!) as Change));
	try {
		await next.connect();
		await next.query(`listen ${CHANNEL}`);
		client = next;
		for (const topic of TOPICS) tell({ topic, ids: [], customerId: null });
	} catch (error) {
		lose(error as Error);
	}
}

function keep({ topic, customerId }: Change): void {
	const at = performance.now();
	kept.push({ at, topic, customerId });
	if (kept.length < 2 * MOST_KEPT && kept[0]!.at > at - 2 * KEPT_MS) return;
	const tooOld = kept.findIndex((one) => one.at > at - KEPT_MS);
	const gone = kept.splice(0, Math.max(tooOld, kept.length - MOST_KEPT));
	keptSince = gone.at(-1)!.at;
}

function tell(change: Change): void {
	keep(change);
	for (const { listener, sees } of subscriptions)
		if (change.customerId === null || sees(change.customerId)) listener(change);
}
