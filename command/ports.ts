import { randomInt } from 'node:crypto';
import { createServer } from 'node:net';

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

/** A port that nobody listens on now. */
export async function freePort(): Promise<number> {
	for (;;) {
		const port = randomInt(LOWEST, HIGHEST);
		if (await portIsFree(port, '127.0.0.1')) return port;
	}
}
