import type { RequestEvent } from '@sveltejs/kit';
import { BOOTSTRAP, DOORKEEPER, runAs, type Identity } from '../database';
import type { Program, SignedIn } from './actor';
import { programWith } from './service-tokens';
import { whoHolds } from './sessions';

/**
 * Who is let in where. Every path belongs to one of four doors: the units', the programs', the one that
 * is open to anybody (to sign in), and the people's, which is all the rest.
 */
const UNITS = /^\/(restconf|\.well-known|images|files)(\/|$)/;
const PROGRAMS = /^\/api\//;
const OPEN =
	/^\/(sign-in|forgotten|ticket\/[^/]+|calendar\/[^/]+|progress\/[^/]+(\/now)?|healthz|readyz|api\/v1\/openapi\.json)$/;

export const isForUnits = (path: string): boolean => UNITS.test(path);

export const SESSION_COOKIE = 'limen_session';
export const DEVICE_COOKIE = 'limen_device';
const NOBODY: Identity = { kind: 'nobody' };

export interface Admitted {
	readonly identity: Identity;
	readonly locals: { readonly person: SignedIn | null; readonly program: Program | null };
}

/** Lets a request in as whoever it is from; or the answer that keeps it out. */
export async function admit(event: RequestEvent): Promise<Admitted | Response> {
	const { pathname } = event.url;
	if (isForUnits(pathname)) return as(BOOTSTRAP);
	if (PROGRAMS.test(pathname) && !OPEN.test(pathname)) return admitProgram(event);
	const token = event.cookies.get(SESSION_COOKIE);
	const person = token ? await runAs(DOORKEEPER, () => whoHolds(token)) : null;
	if (person) return as({ kind: 'person', personId: person.id }, { person, program: null });
	return OPEN.test(pathname) || pathname.startsWith('/_app/') ? as(NOBODY) : toTheDoor(event);
}

const as = (identity: Identity, locals: Admitted['locals'] = { person: null, program: null }): Admitted => ({
	identity,
	locals
});

function toTheDoor({ request, url, isDataRequest }: RequestEvent): Response {
	const page =
		request.method === 'GET' && !isDataRequest && (request.headers.get('accept') ?? '').includes('text/html');
	const back = url.pathname + url.search;
	const door = `/sign-in${back === '/' ? '' : `?back=${encodeURIComponent(back.slice(0, 500))}`}`;
	if (page)
		return new Response(null, { status: 303, headers: { location: door, 'cache-control': 'no-store' } });
	// SvelteKit's own loads and actions follow a redirect that comes as data
	if (isDataRequest || request.headers.get('x-sveltekit-action') === 'true')
		return Response.json(
			{ type: 'redirect', status: 303, location: door },
			{ status: isDataRequest ? 200 : 401 }
		);
	return new Response('Sign in first.', { status: 401 });
}

async function admitProgram(event: RequestEvent): Promise<Admitted | Response> {
	const token = /^Bearer ([\w-]{10,200})$/i.exec(event.request.headers.get('authorization') ?? '')?.[1];
	const program = token ? await runAs(DOORKEEPER, () => programWith(token, event.getClientAddress())) : null;
	if (program) return as({ kind: 'token', tokenId: program.tokenId }, { person: null, program });
	return Response.json(
		{
			type: 'about:blank',
			title: 'Unauthorized',
			status: 401,
			detail: 'Send a service token that is good: Authorization: Bearer limen_…'
		},
		{
			status: 401,
			headers: { 'content-type': 'application/problem+json', 'www-authenticate': 'Bearer realm="limen"' }
		}
	);
}
