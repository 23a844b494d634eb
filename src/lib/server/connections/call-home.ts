import { createServer, type Server, type Socket } from 'node:net';
import { noteCaller } from '../door';
import { BOOTSTRAP, database, runAs } from '../database';
import { log } from '../log';
import { currentSettings } from '../settings';
import { hangUpAll, type KnownUnit, type Way } from './held';
import { logInTo } from './reaching/logins';
import { fingerprintOf } from '../runs';
import { knownUnits, noteReachProblem, welcome } from './welcome';

/**
 * Where units dial home (RFC 8071). We know a unit by its host key: the one it reported with
 * `bootstrap-complete`, or shows where it is reached at an address. Unknown keys are closed and noted at the door.
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
	/** The key by which it is known where it is reached, and nowhere else. */
	let shown: string | null = null;
	try {
		// The socket's own events come from outside of anybody's work
		const client = await logInTo(
			socket,
			(key) =>
				runAs(BOOTSTRAP, async () => {
					const text = key.toString('base64');
					unit = await unitByHostKey(text);
					if (!unit) {
						unit = await unitByShownKey(text);
						shown = text;
					}
					if (!unit)
						await noteCaller({
							serial: fingerprintOf(text),
							reason: 'unknown-key',
							address,
							...(text.length <= LONGEST_KEY && { hostKey: `${algorithmOf(key)} ${text}` })
						});
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
		// It took Limen’s own key: whoever configured it so means it to call home
		if (unit && shown) await keepShownKey(unit, shown);
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
	const now = Math.floor(performance.now() / 60_000);
	if (now !== minute) dials.clear();
	minute = now;
	const count = (dials.get(unitId) ?? 0) + 1;
	dials.set(unitId, count);
	return count;
}

const unitByHostKey = async (key: string): Promise<KnownUnit | undefined> =>
	await knownUnits(database())
		.join('unit_host_key', 'unit_host_key.unit_id', 'unit.id')
		.where({ key })
		.first();

/** The unit that showed a key where it is reached at an address; of two with the same key neither is known. */
async function unitByShownKey(key: string): Promise<KnownUnit | undefined> {
	const units: KnownUnit[] = await knownUnits(database())
		.join('unit_reach', 'unit_reach.unit_id', 'unit.id')
		.where({ host_key: key })
		.limit(2);
	return units.length === 1 ? units[0] : undefined;
}

/** It is known by that key from now on, wherever it is. */
const keepShownKey = ({ unitId, customerId }: KnownUnit, key: string) =>
	database()('unit_host_key')
		.insert({
			key,
			unit_id: unitId,
			customer_id: customerId,
			algorithm: algorithmOf(Buffer.from(key, 'base64'))
		})
		.onConflict('key')
		.ignore();
/** A key begins with the name of its algorithm (RFC 4253, section 6.6). */
const algorithmOf = (key: Buffer): string =>
	key.toString('latin1', 4, 4 + Math.min(key.readUInt32BE(0), 64)).replace(/[^!-~]/g, '');
/** No key that anybody has is longer, in base64. */
const LONGEST_KEY = 5_000;
