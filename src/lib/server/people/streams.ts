import { eventStream } from '../live';
import type { Program, SignedIn } from './actor';

/** So many pages may be held open by one session, by one person, and by all. */
const MOST_OF_SESSION = 30;
const MOST_OF_PERSON = 90;
const MOST = 5_000;

const open = new Map<string, number>();
let openInAll = 0;

/**
 * An event stream of one person's: it ends when their session or their access does. Past a limit it is
 * refused, and whoever asked comes again.
 */
export function personalStream(
	{ person }: { readonly person: SignedIn | null; readonly program: Program | null },
	begin: Parameters<typeof eventStream>[0]
): Response {
	if (!person) return new Response('Sign in first.', { status: 401 });
	const { id, sessionId } = person;
	const has = (key: string) => open.get(key) ?? 0;
	if (has(sessionId) >= MOST_OF_SESSION || has(id) >= MOST_OF_PERSON || openInAll >= MOST)
		return new Response('Too many pages are kept up to date at once. Close some.', {
			status: 429,
			headers: { 'retry-after': '10' }
		});
	const count = (by: 1 | -1) => {
		openInAll += by;
		for (const key of [sessionId, id])
			if (has(key) + by === 0) open.delete(key);
			else open.set(key, has(key) + by);
	};
	count(1);
	return eventStream(
		(send) => {
			const stop = begin(send);
			return () => {
				count(-1);
				stop();
			};
		},
		({ ids }) => ids.includes(sessionId) || ids.includes(id)
	);
}
