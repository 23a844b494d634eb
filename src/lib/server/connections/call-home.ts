import { createServer, type Server, type Socket } from 'node:net';
import { noteCaller } from '../door';
import { BOOTSTRAP, database, runAs } from '../database';
import { log } from '../log';
import { currentSettings } from '../settings';
import { hangUpAll, type KnownUnit, type Way } from './held';
import { logInTo } from './logins';
import { knownUnits, noteReachProblem, welcome } from './welcome';

/**
 * Where units dial home (RFC 8071). We know a unit by its host key: the one it reported with
 * `bootstrap-complete`. Unknown keys are closed and noted at the door.
 */
const MOST_CONNECTIONS = 5_000;
/** Who has not logged in yet holds a place that others need: so many at once from one address, and in all. */
const MOST_STRANGERS_OF_ADDRESS = 200;
const MOST_STRANGERS = 2_000;

let servers: Server[] = [];

/** Listens for units that dial home: with a command line over SSH, and with NETCONF over SSH on a port of its own. */
export async function startCallHome(): Promise<void> {
	const { LIMEN_CALL_HOME_PORT, LIMEN_NETCONF_PORT } = currentSettings();
	servers = await Promise.all([
		listenFor('home over SSH', LIMEN_CALL_HOME_PORT),
		listenFor('home over NETCONF', LIMEN_NETCONF_PORT)
	]);
}

function listenFor(way: Way, port: number): Promise<Server> {
	const listener = createServer((socket) => {
		// Whatever becomes of it, a connection's error is its own
		socket.on('error', () => socket.destroy());
		void runAs(BOOTSTRAP, () => admit(socket, way));
	});
	listener.maxConnections = MOST_CONNECTIONS;
	return new Promise((resolve, reject) => {
		listener.once('error', reject);
		listener.listen(port, currentSettings().LIMEN_HOST, () => resolve(listener));
	});
}

export function stopCallHome(): void {
	for (const server of servers) server.close();
	hangUpAll();
}

/** How many connections from each address have not logged in yet. */
const strangers = new Map<string, number>();
let strangersInAll = 0;

/** Answers a connection unless too many are being answered already; those have to come again. */
async function admit(socket: Socket, way: Way): Promise<void> {
	const address = socket.remoteAddress ?? '0.0.0.0';
	const count = strangers.get(address) ?? 0;
	if (count >= MOST_STRANGERS_OF_ADDRESS || strangersInAll >= MOST_STRANGERS) return void socket.destroy();
	strangers.set(address, count + 1);
	strangersInAll++;
	const left = () => {
		strangersInAll--;
		const rest = strangers.get(address)! - 1;
		if (rest === 0) strangers.delete(address);
		else strangers.set(address, rest);
	};
	await answer(socket, address, way, left);
}

async function answer(socket: Socket, address: string, way: Way, admitted: () => void): Promise<void> {
	socket.setNoDelay(true);
	const { LIMEN_DIALS_A_MINUTE } = currentSettings();
	let unit: KnownUnit | undefined;
	try {
		// The socket's own events come from outside of anybody's work
		const client = await logInTo(
			socket,
			(key) =>
				runAs(BOOTSTRAP, async () => {
					unit = await unitByHostKey(key);
					if (!unit) await noteCaller({ serial: nameOfKey(key), reason: 'unknown-key', address });
					const count = unit ? countDial(unit.unitId) : 0;
					// Said once; the rest of the minute it costs as little as a stranger
					if (count === LIMEN_DIALS_A_MINUTE + 1)
						throw new Error(`it dials more than ${LIMEN_DIALS_A_MINUTE} times a minute.`);
					if (count > LIMEN_DIALS_A_MINUTE) unit = undefined;
					return unit !== undefined;
				}),
			() => unit
		).finally(admitted);
		if (!client) return;
		if (unit) await welcome(client, unit, { address, way }, socket);
		else client.end();
	} catch (error) {
		const { message } = error as Error;
		log.info({ address, serial: unit?.serial, error: message }, 'call home ended early');
		socket.destroy();
		if (unit) await noteReachProblem(unit, `It dialled home, but could not be talked to: ${message}`, true);
	}
}

/** How often each unit has dialled in the present minute. */
const dials = new Map<string, number>();
let minute = 0;
function countDial(unitId: string): number {
	const now = Math.floor(Date.now() / 60_000);
	if (now !== minute) dials.clear();
	minute = now;
	const count = (dials.get(unitId) ?? 0) + 1;
	dials.set(unitId, count);
	return count;
}

const unitByHostKey = (key: Buffer): Promise<KnownUnit | undefined> =>
	knownUnits(database())
		.join('unit_host_key', 'unit_host_key.unit_id', 'unit.id')
		.where({ key: key.toString('base64') })
		.first();

/** A short name for a key nobody knows, to tell such callers apart. */
const nameOfKey = (key: Buffer): string => `key ${key.toString('base64').slice(-24)}`;
