import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { Day, DayEntry } from '$core/day';

/** What a phone keeps: the day, and what was done and waits to be sent. Each person's apart. */
interface Kept extends DBSchema {
	days: { key: string; value: Day };
	/** What the server would not take, and why: kept until it is read. */
	aside: {
		key: string;
		value: {
			readonly id: string;
			readonly personId: string;
			readonly entry: DayEntry;
			readonly words: string;
		};
		indexes: { person: string };
	};
	waiting: { key: string; value: DayEntry & { readonly personId: string }; indexes: { person: string } };
}

let opening: Promise<IDBPDatabase<Kept>> | undefined;
/** The database keeps the name it began with: phones hold work in it that waits to be sent. */
const kept = () =>
	(opening ??= openDB<Kept>('limen-field', 1, {
		upgrade(database) {
			database.createObjectStore('days', { keyPath: 'personId' });
			database.createObjectStore('aside', { keyPath: 'id' }).createIndex('person', 'personId');
			database.createObjectStore('waiting', { keyPath: 'id' }).createIndex('person', 'personId');
		}
	}));

/** The page that the service worker keeps for its person; it names it the same. */
const PAGES = 'limen-day-page';

/** Has the page kept for when there is no signal, however it was reached; false where that cannot be. */
export async function keepThisPage(): Promise<boolean> {
	const worker = (await navigator.serviceWorker?.ready)?.active;
	if (!worker) return false;
	const { port1, port2 } = new MessageChannel();
	const answer = new Promise<boolean>(
		(resolve) => (port1.onmessage = ({ data }) => resolve(data === 'kept'))
	);
	worker.postMessage({ keep: location.pathname + location.search }, [port2]);
	return answer;
}

/** Forgets the kept days and pages of everybody who used this browser. What waits to be sent is kept. */
export async function forgetPages(): Promise<void> {
	// Only where the application is reached over TLS, or on this machine
	if (!('caches' in globalThis)) return;
	await caches.delete(PAGES);
	await (await kept()).clear('days');
}

export const keepDay = async (day: Day): Promise<void> => {
	await (await kept()).put('days', day);
};
export const keptDay = async (personId: string): Promise<Day | undefined> =>
	(await kept()).get('days', personId);

export const addWaiting = async (personId: string, entry: DayEntry): Promise<void> => {
	await (await kept()).put('waiting', { ...entry, personId });
};
export const dropWaiting = async (ids: readonly string[]): Promise<void> => {
	const transaction = (await kept()).transaction('waiting', 'readwrite');
	await Promise.all([...ids.map((id) => transaction.store.delete(id)), transaction.done]);
};
export interface Aside {
	readonly entry: DayEntry;
	readonly words: string;
}
export const putAside = async (personId: string, { entry, words }: Aside): Promise<void> => {
	await (await kept()).put('aside', { id: entry.id, personId, entry, words });
};
export const asideOf = async (personId: string): Promise<readonly Aside[]> =>
	(await kept()).getAllFromIndex('aside', 'person', personId);
export const dropAside = async (id: string): Promise<void> => (await kept()).delete('aside', id);

export async function waitingOf(personId: string): Promise<readonly DayEntry[]> {
	const entries = await (await kept()).getAllFromIndex('waiting', 'person', personId);
	return entries.sort((a, b) => a.at - b.at);
}
