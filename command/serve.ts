import { randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { Server as NetServer } from 'node:net';
import type { TLSSocket } from 'node:tls';
import { serverIdentity } from '../src/lib/server/certificates';
import { currentSettings } from '../src/lib/server/settings';

/**
 * The application's process: the built handler behind Node's servers. Plain HTTP for people's browsers and
 * programs (a proxy in front adds TLS), and TLS on a port of its own for units, where nothing but the
 * bootstrap server answers. The scheme and a device certificate's serial number are set here, never believed.
 */
const settings = currentSettings();
process.env.PROTOCOL_HEADER = 'x-forwarded-proto';
process.env.BODY_SIZE_LIMIT = 'Infinity';

const built = new URL('../build/handler.js', import.meta.url).href;
const { handler } = (await import(built)) as { handler: (...parameters: unknown[]) => void };

const LIMITS = { requestTimeout: 15 * 60_000, headersTimeout: 20_000, keepAliveTimeout: 60_000 };
// Made anew at each start: nobody outside can send what they do not know the name of
const DEVICE_HEADER = `x-limen-device-${randomBytes(16).toString('hex')}`;
process.env.LIMEN_DEVICE_HEADER = DEVICE_HEADER;
const UNITS = /^\/(restconf|\.well-known|images)(\/|$)/;
const nothing = (response: ServerResponse) => response.writeHead(404).end();
const scheme = settings.LIMEN_PUBLIC_URL?.startsWith('https:') ? 'https' : 'http';

const server = createServer(LIMITS, (request, response) => {
	request.headers['x-forwarded-proto'] = scheme;
	handler(request, response, () => nothing(response));
});

const { certificate, key, deviceAuthorities } = await serverIdentity();
const secure = createSecureServer(
	{
		...LIMITS,
		cert: certificate,
		key,
		minVersion: 'TLSv1.2',
		// Asked for, and believed only when one of the makers' authorities signed it
		requestCert: deviceAuthorities !== null,
		rejectUnauthorized: false,
		...(deviceAuthorities !== null && { ca: deviceAuthorities })
	},
	(request, response) => {
		if (!UNITS.test(request.url ?? '')) return void nothing(response);
		request.headers['x-forwarded-proto'] = 'https';
		const serial = certifiedSerial(request);
		if (serial) request.headers[DEVICE_HEADER] = serial;
		handler(request, response, () => nothing(response));
	}
);

/** The serial number in a device's certificate (IEEE 802.1AR: the subject's serialNumber). */
function certifiedSerial({ socket }: IncomingMessage): string | null {
	const device = socket as TLSSocket;
	if (deviceAuthorities === null || !device.authorized) return null;
	const { serialNumber } = (device.getPeerCertificate().subject ?? {}) as { serialNumber?: unknown };
	return typeof serialNumber === 'string' && /^[\x21-\x7e]{1,64}$/.test(serialNumber) ? serialNumber : null;
}

// A region that gets its power back calls all at once
const listen = (one: NetServer, port: number) => {
	one.on('error', (error) => {
		console.error(error.message);
		process.exit(1);
	});
	one.listen({ port, host: settings.LIMEN_HOST, backlog: 4096 });
};
listen(secure, settings.LIMEN_BOOTSTRAP_PORT);
listen(server, settings.LIMEN_PORT);

if (process.env.LIMEN_ENDS_WITH_PARENT)
	process.stdin.resume().once('end', () => process.kill(process.pid, 'SIGTERM'));

for (const signal of ['SIGTERM', 'SIGINT'] as const)
	process.once(signal, () => {
		secure.close();
		server.close(() => process.exit(0));
		process.emit('sveltekit:shutdown' as 'SIGTERM', signal);
		// Event streams and kept-alive connections never end by themselves
		setTimeout(() => {
			server.closeAllConnections();
			secure.closeAllConnections();
		}, 300).unref();
		setTimeout(() => process.exit(0), 5_000).unref();
	});
