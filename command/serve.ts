import { randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { createServer as createSecureServer, type Server as SecureServer } from 'node:https';
import type { Server as NetServer } from 'node:net';
import type { TLSSocket } from 'node:tls';
import { fileURLToPath } from 'node:url';
import { serverIdentity } from '../src/lib/server/certificates';
import {
	asHeader,
	AUTHORITIES_EVENT,
	DEVICE_CONTEXT,
	shownBy,
	TLS_FOR_DEVICES
} from '../src/lib/server/devices/shown';
import { currentSettings } from '../src/lib/server/settings';
import { beat } from './running/beat';
import { clientAddress, compressed, dropUnreadBody, proxyList } from './running/front';

/**
 * The application's process: the built handler behind Node's servers. Plain HTTP for people's browsers and
 * programs (a proxy in front adds TLS), and TLS on a port of its own for units. Scheme, address, port and
 * what a device's certificate says are set here, under names that are made anew at each start: nobody outside can
 * send what they do not know the name of.
 */
const settings = currentSettings();
const secretHeader = () => `x-limen-${randomBytes(16).toString('hex')}`;
const [DEVICE_HEADER, UNITS_PORT_HEADER, ADDRESS_HEADER] = [secretHeader(), secretHeader(), secretHeader()];
Object.assign(process.env, {
	LIMEN_DEVICE_HEADER: DEVICE_HEADER,
	LIMEN_UNITS_PORT_HEADER: UNITS_PORT_HEADER,
	ADDRESS_HEADER,
	LIMEN_WORKER: fileURLToPath(new URL('./worker.js', import.meta.url)),
	PROTOCOL_HEADER: 'x-forwarded-proto',
	// What a body may have, counted while it is read; an image comes past this (see below)
	BODY_SIZE_LIMIT: String(4 * 1024 * 1024)
});

const here = beat();

/** Nothing goes on in a process of which nobody knows what state it is in; the start command begins a new one. */
const giveUp = (error: unknown) => {
	console.error(error);
	process.exitCode = 1;
	process.emit('SIGTERM', 'SIGTERM');
	setTimeout(() => process.exit(1), 2_000).unref();
};
/** Where it loses its connection the queue's library leaves a rejection that nobody takes, and ends; it is begun again (server/jobs). */
const isTheQueues = (error: unknown): boolean =>
	error instanceof Error &&
	/graphile-worker/.test(error.stack ?? '') &&
	/^(57P0[123]|08\w{3}|53\d{3}|ECONN\w+|EPIPE)$|Connection terminated|not queryable/.test(
		(error as { code?: string }).code ?? error.message
	);
process.on('uncaughtException', giveUp);
process.on('unhandledRejection', (error) => (isTheQueues(error) ? console.error(error) : giveUp(error)));

/** The application says whose device certificates are taken, from its first moment on. */
let authorities: string[] | undefined;
const started: SecureServer[] = [];
process.on(AUTHORITIES_EVENT, (given: readonly string[]) => {
	authorities = [...given];
	for (const one of started) one.setSecureContext({ ...identity, ca: authorities });
});

const built = new URL('../build/handler.js', import.meta.url).href;
const { handler } = (await import(built)) as { handler: (...parameters: unknown[]) => void };

const SILENT_MS = 2 * 60_000;
const LIMITS = { requestTimeout: 15 * 60_000, headersTimeout: 20_000, keepAliveTimeout: 60_000 };
const nothing = (response: ServerResponse) => response.writeHead(404).end();
const scheme = settings.LIMEN_PUBLIC_URL?.startsWith('https:') ? 'https' : 'http';
const proxies = proxyList(settings.LIMEN_TRUSTED_PROXIES);

function answer(request: IncomingMessage, response: ServerResponse, as: 'http' | 'https'): void {
	dropUnreadBody(request, response);
	request.headers['x-forwarded-proto'] = as;
	request.headers[ADDRESS_HEADER!] = clientAddress(request, proxies);
	// A body without a type is left alone by SvelteKit: whoever takes an image reads it from the socket itself
	if (request.method === 'PUT') delete request.headers['content-type'];
	handler(request, response, () => nothing(response));
}

const server = createServer(LIMITS, (request, response) =>
	compressed(request, response, () => answer(request, response, scheme))
);

/** Keeps what is served as a file away from this port; whose a path is, the application decides by its route. */
const UNITS = /^\/(restconf$|restconf\/|\.well-known\/|images\/|files\/)/;
const { certificate, key } = await serverIdentity();
const identity = { cert: certificate, key, minVersion: 'TLSv1.2', ...DEVICE_CONTEXT } as const;
/** A port for units: the one where they are given what they are to become, or where they are told of it. */
function forUnits(which: 'bootstrap' | 'redirect'): SecureServer {
	const one = createSecureServer(
		{ ...LIMITS, ...identity, ...TLS_FOR_DEVICES, ...(authorities && { ca: authorities }) },
		(request, response) => {
			const url = parsed(request.url ?? '');
			if (!url || !UNITS.test(url.pathname)) return void nothing(response);
			// As it was judged, so that nothing after this reads it in another way
			request.url = url.pathname + url.search;
			request.headers[UNITS_PORT_HEADER!] = which;
			const shown = shownBy(request.socket as TLSSocket);
			if (shown) request.headers[DEVICE_HEADER!] = asHeader(shown);
			answer(request, response, 'https');
		}
	);
	started.push(one);
	return one;
}
const [secure, redirecting] = [forUnits('bootstrap'), forUnits('redirect')];

function parsed(address: string): URL | null {
	try {
		return new URL(address, 'https://units.invalid');
	} catch {
		return null;
	}
}

// A region that gets its power back calls all at once
const listen = (one: NetServer, port: number) => {
	one.on('error', (error) => {
		console.error(error.message);
		process.exit(1);
	});
	one.listen({ port, host: settings.LIMEN_HOST, backlog: 4096 });
};
// A connection on which nothing moves, not even the heartbeat of a stream, holds a reader who does not read
for (const one of [server, secure, redirecting]) one.setTimeout(SILENT_MS, (socket) => socket.destroy());
listen(secure, settings.LIMEN_BOOTSTRAP_PORT);
listen(redirecting, settings.LIMEN_REDIRECT_PORT);
listen(server, settings.LIMEN_PORT);
here();

if (process.env.LIMEN_ENDS_WITH_PARENT)
	process.stdin.resume().once('end', () => process.kill(process.pid, 'SIGTERM'));

for (const signal of ['SIGTERM', 'SIGINT'] as const)
	process.once(signal, () => {
		const end = () => process.exit(process.exitCode ?? 0);
		// What this process holds is let go before it ends, so that nobody waits until its death is noticed
		const ended = new Promise((resolve) => process.once('limen:ended' as 'SIGTERM', resolve));
		const closed = new Promise((resolve) => server.close(resolve));
		for (const one of started) one.close();
		void Promise.all([ended, closed]).then(end);
		process.emit('sveltekit:shutdown' as 'SIGTERM', signal);
		// Event streams and kept-alive connections never end by themselves
		setTimeout(() => {
			server.closeAllConnections();
			for (const one of started) one.closeAllConnections();
		}, 300).unref();
		setTimeout(end, 5_000).unref();
	});
