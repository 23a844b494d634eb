import { eventStream } from '../live';
import type { Program, SignedIn } from './actor';

/** An event stream of one person's: it ends when their session or their access does. */
export const personalStream = (
	{ person }: { readonly person: SignedIn | null; readonly program: Program | null },
	begin: Parameters<typeof eventStream>[0]
): Response =>
	eventStream(
		begin,
		({ ids }) => person === null || ids.includes(person.sessionId) || ids.includes(person.id)
	);
