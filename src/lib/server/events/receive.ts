import { existsSync, readFileSync } from 'node:fs';
import { createSocket, type Socket as Datagrams } from 'node:dgram';
import { createServer, isIPv6, type Server, type Socket } from 'node:net';
import { createServer as createTlsServer, type TLSSocket } from 'node:tls';
import { FrameReader } from '../../../core/events';
import { serverIdentity } from '../certificates';
import { BOOTSTRAP, runAs } from '../database';
import { judge, DEVICE_CONTEXT, onAuthorities, shownBy, TLS_FOR_DEVICES } from '../devices';
import { log } from '../log';
import { currentSettings } from '../settings';
import { countEvents } from './count';
import { take } from './keep';

/**
 * Where units say what happens to them: RFC 5424 over UDP (RFC 5426), TCP (RFC 6587) and TLS (RFC 5425, with a device
 * certificate where the unit shows one). Nobody is answered, and nobody is asked to wait.
 */
const MOST_CONNECTIONS = 2_000;
const MOST_OF_ADDRESS = 200;
/** Besides those that are listened to: just come, or in the middle of a handshake. */
const MOST_COMING = 500;
const HANDSHAKE_MS = 15_000;
/** A unit keeps its connection open; one on which nothing came for so long is gone. */
const SILENT_MS = 24 * 3_600_000;
const RECEIVE_BUFFER = 4 * 1024 * 1024;

/** Datagrams for which the system had no room, as it counts them itself; looked at this often while some come. */
const LOST_MS = 1_000;
let lost = 0;
let lookedAt = -Infinity;
function countLost(port: number): void {
	if (performance.now() - lookedAt < LOST_MS) return;
	lookedAt = performance.now();
	const now = dropsAt(port);
	if (now > lost) countEvents('lost before it was read', now - lost);
	lost = now;
}

/** Of the sockets at a port, by Linux; elsewhere nobody counts them. */
function dropsAt(port: number): number {
	const local = `:${port.toString(16).toUpperCase().padStart(4, '0')}`;
	let drops = 0;
	for (const table of ['/proc/net/udp', '/proc/net/udp6']) {
		if (!existsSync(table)) continue;
		for (const line of readFileSync(table, 'utf8').split('\n')) {
			const fields = line.trim().split(/\s+/);
			if (fields[1]?.endsWith(local)) drops += Number(fields.at(-1));
		}
	}
	return drops;
}

let datagrams: Datagrams | undefined;
let servers: Server[] = [];
let stopWatching: (() => void) | undefined;

export async function startReceiving(): Promise<void> {
	const { LIMEN_EVENTS_PORT, LIMEN_EVENTS_TLS_PORT, LIMEN_HOST } = currentSettings();
	const { certificate, key } = await serverIdentity();
	const identity = { cert: certificate, key, ...DEVICE_CONTEXT };
	const secure = createTlsServer(
		{ ...identity, ...TLS_FOR_DEVICES, handshakeTimeout: HANDSHAKE_MS },
		(socket) => {
			socket.on('error', () => socket.destroy());
			certifiedSerial(socket).then(
				(serial) => listenTo(socket, serial),
				(error: Error) => {
					log.warn({ error: error.message }, 'events over TLS');
					socket.destroy();
				}
			);
		}
	);
	stopWatching = await onAuthorities((ca) => secure.setSecureContext({ ...identity, ca: [...ca] }));
	secure.on('tlsClientError', (_, socket) => socket.destroy());
	servers = [createServer((socket) => listenTo(socket, null)), secure];
	await Promise.all([
		bind(LIMEN_EVENTS_PORT, LIMEN_HOST),
		...servers.map((server, at) =>
			listen(server, at === 0 ? LIMEN_EVENTS_PORT : LIMEN_EVENTS_TLS_PORT, LIMEN_HOST)
		)
	]);
}

/** Who says it, by a device certificate that counts. */
async function certifiedSerial(socket: TLSSocket): Promise<string | null> {
	const shown = shownBy(socket);
	const certified = shown && (await runAs(BOOTSTRAP, () => judge(shown)));
	return certified && !certified.isSpent ? certified.serial : null;
}

export function stopReceiving(): void {
	stopWatching?.();
	datagrams?.close();
	datagrams = undefined;
	for (const server of servers) server.close();
	for (const socket of open) socket.destroy();
}

async function bind(port: number, host: string): Promise<void> {
	const socket = createSocket({ type: isIPv6(host) ? 'udp6' : 'udp4', recvBufferSize: RECEIVE_BUFFER });
	socket.on('message', (octets, { address }) => {
		take({ address: plainAddress(address), host: '', serial: null }, octets);
		countLost(port);
	});
	await new Promise<void>((resolve, reject) => {
		socket.once('error', reject);
		socket.bind(port, host, () => {
			socket.removeAllListeners('error');
			lost = dropsAt(port);
			socket.on('error', (error) => log.warn({ error: error.message }, 'events over UDP'));
			resolve();
		});
	});
	datagrams = socket;
}

const listen = (server: Server, port: number, host: string): Promise<void> =>
	new Promise((resolve, reject) => {
		server.maxConnections = MOST_CONNECTIONS + MOST_COMING;
		server.once('error', reject);
		server.listen(port, host, () => resolve());
	});

/** An IPv4 address as such, also where it came in as a part of IPv6. */
const plainAddress = (address: string): string => address.replace(/^::ffff:(?=\d)/, '').replace(/%.*$/, '');

/** Those that are listened to; on the first of them nothing came for the longest time. */
const open = new Set<Socket>();
const ofAddress = new Map<string, number>();

function listenTo(socket: Socket, serial: string | null): void {
	socket.on('error', () => socket.destroy());
	const address = plainAddress(socket.remoteAddress ?? '0.0.0.0');
	const count = ofAddress.get(address) ?? 0;
	if (count >= MOST_OF_ADDRESS) {
		countEvents('connection refused');
		return void socket.destroy();
	}
	ofAddress.set(address, count + 1);
	// Silent ones never keep others out: a unit dials again when it has something to say
	const [longestSilent] = open;
	if (open.size >= MOST_CONNECTIONS && longestSilent) {
		countEvents('connection refused');
		open.delete(longestSilent);
		longestSilent.destroy();
	}
	open.add(socket);
	socket.once('close', () => {
		open.delete(socket);
		const left = ofAddress.get(address)! - 1;
		if (left === 0) ofAddress.delete(address);
		else ofAddress.set(address, left);
	});
	socket.setTimeout(SILENT_MS, () => socket.destroy());
	const frames = new FrameReader();
	socket.on('data', (piece: Buffer) => {
		open.delete(socket);
		open.add(socket);
		for (const octets of frames.push(piece)) take({ address, host: '', serial }, octets);
	});
}
