import { AsyncLocalStorage } from 'node:async_hooks';

/**
 * For whom the database works. Each piece of work runs as somebody; PostgreSQL's row-level security looks
 * up what they may see and change. Work that names nobody sees nothing.
 */
export type Identity =
	| { readonly kind: 'nobody' }
	| { readonly kind: 'gatekeeper' }
	| { readonly kind: 'person'; readonly personId: string }
	| { readonly kind: 'token'; readonly tokenId: string }
	| { readonly kind: 'system'; readonly role: SystemRole };

/** The application's own identities, each with the database role that may do the least it needs. */
export type SystemRole =
	'limen_bootstrap' | 'limen_sign_in' | 'limen_registry' | 'limen_clean_up' | 'limen_setup';
const PEOPLE = 'limen_people';

const NOBODY: Identity = { kind: 'nobody' };
/**
 * Asks who somebody is, by functions of the database that look at nothing but what they are given; so it
 * does not matter as whom of the people the connection worked last, and no word about it is lost.
 */
export const GATEKEEPER: Identity = { kind: 'gatekeeper' };
/** Units that call, and the proofs of what they run. */
export const BOOTSTRAP: Identity = { kind: 'system', role: 'limen_bootstrap' };
/** Sign-in, invitations and letters. */
export const SIGN_IN: Identity = { kind: 'system', role: 'limen_sign_in' };
/** Claims that makers' registries are asked for. */
export const REGISTRY: Identity = { kind: 'system', role: 'limen_registry' };
/** Removing what is kept no longer. */
export const CLEAN_UP: Identity = { kind: 'system', role: 'limen_clean_up' };
/** Bringing in plans and the demo; never in the running application. */
export const SETUP: Identity = { kind: 'system', role: 'limen_setup' };

const current = new AsyncLocalStorage<Identity>();
let fallback: Identity = NOBODY;

export const identity = (): Identity => current.getStore() ?? fallback;
/** Works as somebody. A query begins only when it is awaited, so that happens in here too. */
export const runAs = <Result>(who: Identity, work: () => Result | PromiseLike<Result>): Promise<Result> =>
	current.run(who, async () => await work());

/** A program with one purpose (setting up, a benchmark) says once for whom all of it works. */
export const actAlwaysAs = (who: Identity): void => {
	fallback = who;
};

/** What the database is told: the role, and whose memberships count. */
export const databaseSettings = (who: Identity): readonly [role: string, person: string, token: string] => [
	who.kind === 'system' ? who.role : PEOPLE,
	who.kind === 'person' ? who.personId : '',
	who.kind === 'token' ? who.tokenId : ''
];
