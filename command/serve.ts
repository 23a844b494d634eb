import { createServer } from 'node:http';
import { currentSettings } from '../src/lib/server/settings';

/**
 * The application's process: the built handler behind Node's HTTP server. A request is plain HTTP here,
 * so the scheme is set, not believed; uploads are bounded where they are read.
 */
const settings = currentSettings();
process.env.PROTOCOL_HEADER = 'x-forwarded-proto';
process.env.BODY_SIZE_LIMIT = 'Infinity';

const built = new URL('../build/handler.js', import.meta.url).href;
const { handler } = (await import(built)) as { handler: (...parameters: unknown[]) => void };

const server = createServer(
	{ requestTimeout: 15 * 60_000, headersTimeout: 20_000, keepAliveTimeout: 60_000 },
	(request, response) => {
		request.headers['x-forwarded-proto'] = 'http';
		handler(request, response, () => response.writeHead(404).end());
	}
);
server.on('error', (error) => {
	console.error(error.message);
	process.exit(1);
});
// A region that gets its power back calls all at once
server.listen({ port: settings.LIMEN_PORT, host: settings.LIMEN_HOST, backlog: 4096 });

if (process.env.LIMEN_ENDS_WITH_PARENT)
	process.stdin.resume().once('end', () => process.kill(process.pid, 'SIGTERM'));

for (const signal of ['SIGTERM', 'SIGINT'] as const)
	process.once(signal, () => {
		server.close(() => process.exit(0));
		process.emit('sveltekit:shutdown' as 'SIGTERM', signal);
		// Event streams and kept-alive connections never end by themselves
		setTimeout(() => server.closeAllConnections(), 300).unref();
		setTimeout(() => process.exit(0), 5_000).unref();
	});
