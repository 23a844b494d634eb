import { randomInt } from 'node:crypto';
import { createServer } from 'node:net';
import { PORTS } from '../src/lib/server/settings';

/** Whether a port can be listened on now. */
export function portIsFree(port: number, host: string): Promise<boolean> {
	return new Promise((resolve) => {
		const probe = createServer();
		probe.once('error', () => resolve(false));
		probe.listen(port, host, () => probe.close(() => resolve(true)));
	});
}

/** Below those that the system gives to outgoing connections: what is free now is not taken by one of them. */
const [LOWEST, HIGHEST] = [10_000, 32_000];

/** Free ports for an installation of one's own, as it is told them; its database's is the caller's matter. */
export async function freePorts(): Promise<Record<string, string>> {
	const free: Record<string, string> = {};
	for (const name of PORTS) if (name !== 'LIMEN_DATABASE_PORT') free[name] = String(await freePort());
	return free;
}

/** A port that nobody listens on now. */
export async function freePort(): Promise<number> {
	for (;;) {
		const port = randomInt(LOWEST, HIGHEST);
		if (await portIsFree(port, '127.0.0.1')) return port;
	}
}
