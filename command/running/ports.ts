import { randomInt } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { connect, createServer } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { PORTS } from '../../src/lib/server/settings';

/** Whether a port can be listened on now. */
export function portIsFree(port: number, host: string): Promise<boolean> {
	return new Promise((resolve) => {
		const probe = createServer();
		probe.once('error', () => resolve(false));
		probe.listen(port, host, () => probe.close(() => resolve(true)));
	});
}

const AGAIN_MS = 100;

/** Whether a port can be listened on, at once or after so long: what was killed may still be on its way out. */
export async function portGetsFree(
	port: number,
	host: string,
	{ datagrams, patience }: { readonly datagrams: boolean; readonly patience: number }
): Promise<boolean> {
	const until = performance.now() + patience;
	for (;;) {
		if ((await portIsFree(port, host)) && (!datagrams || (await isFreeForDatagrams(port, host)))) return true;
		if (performance.now() >= until) return false;
		// Another process's end: there is nothing to wait on but time
		await sleep(AGAIN_MS);
	}
}

function isFreeForDatagrams(port: number, host: string): Promise<boolean> {
	return new Promise((resolve) => {
		const probe = createSocket(host.includes(':') ? 'udp6' : 'udp4');
		probe.once('error', () => probe.close(() => resolve(false)));
		probe.bind(port, host, () => probe.close(() => resolve(true)));
	});
}

/** Whether somebody listens on a port, as it is reached on this machine. */
export function isServed(port: number, host: string): Promise<boolean> {
	return new Promise((resolve) => {
		const socket = connect({ port, host: host === '0.0.0.0' ? '127.0.0.1' : host, timeout: 3_000 });
		const end = (served: boolean) => {
			socket.destroy();
			resolve(served);
		};
		socket
			.once('connect', () => end(true))
			.once('error', () => end(false))
			.once('timeout', () => end(false));
	});
}

/**
 * Below those that the system gives to outgoing connections: what is free now is not taken by one of them.
 * A process that needs ports holds a block of them by listening on its first, for as long as it lives,
 * so that what it hands out is given to nobody else before its user listens.
 */
const [LOWEST, BLOCKS, BLOCK] = [10_000, 220, 100];

/** Free ports for an installation of one's own, as it is told them; its database's is the caller's matter. */
export async function freePorts(): Promise<Record<string, string>> {
	const free: Record<string, string> = {};
	for (const name of PORTS) if (name !== 'LIMEN_DATABASE_PORT') free[name] = String(await freePort());
	return free;
}

let handingOut: Promise<unknown> = Promise.resolve();
let left: number[] = [];

/** A port that nobody listens on now, and that is handed out once. */
export function freePort(): Promise<number> {
	const port = handingOut.then(async () => {
		for (;;) {
			left = left.length > 0 ? left : await aBlock();
			const next = left.shift()!;
			if (await portIsFree(next, '127.0.0.1')) return next;
		}
	});
	handingOut = port;
	return port;
}

async function aBlock(): Promise<number[]> {
	for (;;) {
		const first = LOWEST + randomInt(BLOCKS) * BLOCK;
		if (await isHeld(first)) return Array.from({ length: BLOCK - 1 }, (_, at) => first + 1 + at);
	}
}

function isHeld(port: number): Promise<boolean> {
	return new Promise((resolve) => {
		const holder = createServer((socket) => socket.destroy());
		holder.once('error', () => resolve(false));
		holder.listen(port, '127.0.0.1', () => resolve(true)).unref();
	});
}
