import { connect } from 'node:net';
import { connect as connectSecurely } from 'node:tls';
import { once } from 'node:events';
import { expect } from 'chai';
import { currentSettings } from '../../src/lib/server/settings';
import { address } from '../server/making';

/** What an attacker has: bytes on a socket. Everything goes to the application that the tests started. */
export const PORTS = {
	http: () => currentSettings().LIMEN_PORT,
	units: () => currentSettings().LIMEN_BOOTSTRAP_PORT,
	callHome: () => currentSettings().LIMEN_CALL_HOME_PORT
} as const;

/** Sends bytes and returns all that came back until the other side closed or was silent for a while. */
export async function send(
	port: number,
	bytes: string | Buffer | readonly Buffer[],
	{ secure = false, silence = 1500 } = {}
): Promise<string> {
	const socket = secure
		? connectSecurely({ port, host: '127.0.0.1', rejectUnauthorized: false })
		: connect(port, '127.0.0.1');
	socket.on('error', () => undefined);
	await once(socket, secure ? 'secureConnect' : 'connect');
	let heard = '';
	socket.setEncoding('latin1').on('data', (text: string) => (heard += text));
	socket.setTimeout(silence, () => socket.destroy());
	const gone = new Promise<void>((resolve) => socket.once('close', () => resolve()));
	const drained = () => new Promise<void>((resolve) => socket.once('drain', () => resolve()));
	for (const part of Array.isArray(bytes) ? bytes : [bytes as string | Buffer])
		if (!socket.destroyed && !socket.write(part)) await Promise.race([drained(), gone]);
	await gone;
	return heard;
}

/** A request as its bytes, so that no client makes it any better. */
export const request = (method: string, path: string, headers: readonly string[] = [], body = ''): string =>
	[`${method} ${path} HTTP/1.1`, `host: ${new URL(address('')).host}`, ...headers, '', body].join('\r\n');

export const statusOf = (answer: string): number => Number(/^HTTP\/1\.1 (\d{3})/.exec(answer)?.[1] ?? 0);

/** Which process answers: a new one began at another time. */
async function begunAt(): Promise<string> {
	const figures = await fetch(`http://127.0.0.1:${currentSettings().LIMEN_METRICS_PORT}/metrics`);
	return /^process_start_time_seconds (\S+)$/m.exec(await figures.text())![1]!;
}

/** Does something hostile, and shows that the same process goes on and answers. */
export async function survives(attack: () => Promise<unknown>): Promise<void> {
	const before = await begunAt();
	await attack();
	expect((await fetch(address('/readyz'))).status).to.equal(200);
	expect(await begunAt()).to.equal(before);
}
