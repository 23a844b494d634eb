import type { RequestEvent } from '@sveltejs/kit';
import { BOOTSTRAP, GATEKEEPER, runAs, type Identity } from '../../database';
import { problem } from '../../problem';
import type { Program, SignedIn } from '../actor';
import { gateOf } from '../gates';
import { personWith } from '../personal-tokens';
import { programWith } from '../service-tokens';
import { whoHolds } from './sessions';

export const SESSION_COOKIE = 'limen_session';
export const DEVICE_COOKIE = 'limen_device';
const NOBODY: Identity = { kind: 'nobody' };

export interface Admitted {
	readonly identity: Identity;
	readonly locals: { readonly person: SignedIn | null; readonly program: Program | null };
}

/** Lets a request in as whoever it is from; or the answer that keeps it out. */
export async function admit(event: RequestEvent): Promise<Admitted | Response> {
	const gate = gateOf(event);
	// Set by our own TLS server, under a name that only it knows
	const { LIMEN_UNITS_PORT_HEADER } = process.env;
	if (LIMEN_UNITS_PORT_HEADER && event.request.headers.has(LIMEN_UNITS_PORT_HEADER) && gate !== 'units')
		return new Response(null, { status: 404 });
	if (gate === 'units') return as(BOOTSTRAP);
	if (gate === 'programs') return admitProgram(event);
	const token = event.cookies.get(SESSION_COOKIE);
	const person = token ? await runAs(GATEKEEPER, () => whoHolds(token)) : null;
	if (person) return as({ kind: 'person', personId: person.id }, { person, program: null });
	return gate === 'open' || event.url.pathname.startsWith('/_app/') ? as(NOBODY) : toSignIn(event);
}

const as = (identity: Identity, locals: Admitted['locals'] = { person: null, program: null }): Admitted => ({
	identity,
	locals
});

function toSignIn({ request, url, isDataRequest }: RequestEvent): Response {
	const page =
		request.method === 'GET' && !isDataRequest && (request.headers.get('accept') ?? '').includes('text/html');
	const back = url.pathname + url.search;
	const signIn = `/sign-in${back === '/' ? '' : `?back=${encodeURIComponent(back.slice(0, 500))}`}`;
	if (page)
		return new Response(null, { status: 303, headers: { location: signIn, 'cache-control': 'no-store' } });
	// SvelteKit's own loads and actions follow a redirect that comes as data
	if (isDataRequest || request.headers.get('x-sveltekit-action') === 'true')
		return Response.json(
			{ type: 'redirect', status: 303, location: signIn },
			{ status: isDataRequest ? 200 : 401 }
		);
	return new Response('Sign in first.', { status: 401 });
}

async function admitProgram(event: RequestEvent): Promise<Admitted | Response> {
	const token = /^Bearer ([\w-]{10,200})$/i.exec(event.request.headers.get('authorization') ?? '')?.[1];
	const address = event.getClientAddress();
	const person = token ? await runAs(GATEKEEPER, () => personWith(token, address)) : null;
	if (person) return as({ kind: 'person', personId: person.id }, { person, program: null });
	const program = token ? await runAs(GATEKEEPER, () => programWith(token, address)) : null;
	if (program) return as({ kind: 'token', tokenId: program.tokenId }, { person: null, program });
	const refused = problem(401, 'Send a token that is good: Authorization: Bearer limen_…');
	refused.headers.set('www-authenticate', 'Bearer realm="limen"');
	return refused;
}
