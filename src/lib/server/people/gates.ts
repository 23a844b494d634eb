/**
 * Whose a route is. Every route belongs to one of four gates: the units', the programs', the one that is
 * open to anybody (to sign in, or with a link that opens one thing), and the people's, which is all the rest.
 * Decided by the router's own route id and not by the address, of which there are many for one route
 * (`/%61pi/v1`, `/images/../sign-in`). Both ports share this table.
 */
export type Gate = 'units' | 'programs' | 'open' | 'people';

const UNITS = /^\/(restconf|\.well-known|images|files)(\/|$)/;
const PROGRAMS = /^\/api(\/|$)/;
const OPEN: ReadonlySet<string> = new Set([
	'/sign-in',
	'/sign-in/firm',
	'/sign-in/firm/back',
	'/sign-in/firm/leave',
	'/forgotten',
	'/ticket/[token]',
	'/calendar/[token]',
	'/progress/[token]',
	'/progress/[token]/now',
	'/wall/[token]',
	'/wall/[token]/now',
	'/wall/[token]/land',
	'/healthz',
	'/readyz',
	'/api/v1/openapi.json'
]);

/** The gate of a route; of an address that has no route, the gate of its neighbours. */
export function gateOf({
	route,
	url
}: {
	readonly route: { readonly id: string | null };
	readonly url: URL;
}): Gate {
	const id = route.id ?? decoded(url.pathname);
	if (OPEN.has(id)) return 'open';
	if (UNITS.test(id)) return 'units';
	return PROGRAMS.test(id) ? 'programs' : 'people';
}

/** As the router decodes an address before it looks for its route. */
function decoded(path: string): string {
	try {
		return decodeURI(path);
	} catch {
		return path;
	}
}

/** What a form at the open gate may have: anybody sends there, before anything is known of them. */
export const LARGEST_OPEN_BODY = 64 * 1024;
