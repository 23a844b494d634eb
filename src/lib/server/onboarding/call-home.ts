import { createServer, type Server, type Socket } from 'node:net';
import type { Knex } from 'knex';
import type { Client } from 'ssh2';
import { noteCaller } from '../door';
import { BOOTSTRAP, database, runAs } from '../database';
import { notify } from '../live';
import { log } from '../log';
import { currentSettings } from '../settings';
import { driverOf } from './drivers';
import { proveUnit, type KnownUnit } from './prove';
import { connectOver, run } from './ssh';

/**
 * Where units dial home (RFC 8071). We know a unit by its host key: the one it reported with
 * `bootstrap-complete`. Unknown keys are closed and noted at the door.
 */
const MOST_CONNECTIONS = 5_000;
/** Who has not logged in yet holds a place that others need: so many at once from one address, and in all. */
const MOST_STRANGERS_OF_ADDRESS = 200;
const MOST_STRANGERS = 2_000;

/** The connections that are open, by unit. */
const connected = new Map<string, Client>();
let server: Server | undefined;

export const isConnected = (unitId: string): boolean => connected.has(unitId);

export function startCallHome(): Promise<void> {
	const { LIMEN_HOST, LIMEN_CALL_HOME_PORT } = currentSettings();
	const listener = createServer((socket) => {
		// Whatever becomes of it, a connection's error is its own
		socket.on('error', () => socket.destroy());
		void runAs(BOOTSTRAP, () => admit(socket));
	});
	server = listener;
	listener.maxConnections = MOST_CONNECTIONS;
	return new Promise((resolve, reject) => {
		listener.once('error', reject);
		listener.listen(LIMEN_CALL_HOME_PORT, LIMEN_HOST, () => resolve());
	});
}

export function stopCallHome(): void {
	server?.close();
	for (const client of connected.values()) client.end();
	connected.clear();
}

/** What a unit runs at this moment, read over its own connection; null when it has none or does not answer. */
export async function readRunning(unitId: string): Promise<string | null> {
	const client = connected.get(unitId);
	const unit = client && (await unitById(unitId));
	const driver = unit && driverOf(unit.makerId);
	return driver ? run(client!, driver.configurationCommand).catch(() => null) : null;
}

/** Ends a unit's connection to this process; what it opened it with may not be good for another. */
export const hangUp = (unitId: string): void => void connected.get(unitId)?.end();

/** Proves a unit that is connected now, beside whatever goes on; what fails is in its run or in the log. */
export function proveSoon(unitId: string): void {
	proveConnected(unitId).catch((error: Error) =>
		log.warn({ unit: unitId, error: error.message }, 'a proof could not be worked')
	);
}

/** Proves a unit again that is connected now; false when it is not. */
export function proveConnected(unitId: string): Promise<boolean> {
	return runAs(BOOTSTRAP, async () => {
		const client = connected.get(unitId);
		const unit = client && (await unitById(unitId));
		if (!client || !unit) return false;
		await proveUnit(client, unit);
		return true;
	});
}

/** How many connections from each address have not logged in yet. */
const strangers = new Map<string, number>();
let strangersInAll = 0;

/** Answers a connection unless too many are being answered already; those have to come again. */
async function admit(socket: Socket): Promise<void> {
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
	await answer(socket, address, left);
}

async function answer(socket: Socket, address: string, admitted: () => void): Promise<void> {
	socket.setNoDelay(true);
	let unit: KnownUnit | undefined;
	try {
		// The socket's own events come from outside of anybody's work
		const client = await connectOver(socket, (key) =>
			runAs(BOOTSTRAP, async () => {
				unit = await unitByHostKey(key);
				if (!unit) await noteCaller({ serial: nameOfKey(key), reason: 'unknown-key', address });
				return unit !== undefined;
			})
		).finally(admitted);
		if (unit) await welcome(client, unit, address);
		else client.end();
	} catch (error) {
		log.info({ address, serial: unit?.serial, error: (error as Error).message }, 'call home ended early');
		socket.destroy();
	}
}

async function welcome(client: Client, unit: KnownUnit, address: string): Promise<void> {
	connected.get(unit.unitId)?.end();
	connected.set(unit.unitId, client);
	client.on('close', () => {
		if (connected.get(unit.unitId) === client) connected.delete(unit.unitId);
	});
	await database().transaction(async (trx) => {
		await trx('unit')
			.where({ id: unit.unitId })
			.update({ dialled_home_at: trx.fn.now(), heard_at: trx.fn.now(), heard_address: address });
		await notify(trx, 'units', unit.customerId, [unit.unitId]);
	});
	await proveUnit(client, unit);
}

const knownUnit = (): Knex.QueryBuilder =>
	database()('unit')
		.join('model', 'model.id', 'model_id')
		.first(
			'unit.id as unitId',
			'serial',
			'unit.maker_id as makerId',
			'dialect',
			'model_id as modelId',
			'unit.customer_id as customerId'
		);

const unitByHostKey = (key: Buffer): Promise<KnownUnit | undefined> =>
	knownUnit()
		.join('unit_host_key', 'unit_host_key.unit_id', 'unit.id')
		.where({ key: key.toString('base64') });
const unitById = (id: string): Promise<KnownUnit | undefined> => knownUnit().where({ 'unit.id': id });

/** A short name for a key nobody knows, to tell such callers apart. */
const nameOfKey = (key: Buffer): string => `key ${key.toString('base64').slice(-24)}`;
