import type { Knex } from 'knex';
import { connect } from 'node:net';
import type { Duplex } from 'node:stream';
import { SocksClient } from 'socks';
import { BOOTSTRAP, database, runAs } from '../../database';
import { unseal } from '../../keys';
import { connectOver, type SshLogin } from '../speaking/ssh';

/**
 * How an address of a customer is reached. The same address can be many customers': it is looked for among the ways in
 * of its own, the most specific range wins, and without one it is reached directly.
 */
export interface WayIn {
	readonly id: string;
	readonly name: string;
	readonly kind: 'jump' | 'socks5';
	readonly host: string;
	readonly port: number;
	readonly login: string | null;
	readonly hostKey: string | null;
}
/** In SQL, of a row `r` of `unit_reach`: the login of its own, or else that of its customer's that it has. Sealed. */
export const REACH_LOGIN = 'coalesce(r.login, (select login.login from login where login.id = r.login_id))';

/** So long a connection may take to be opened, on each leg. */
const OPEN_MS = 15_000;

/** The way in for an address of a customer; null when it is reached directly. */
export async function wayFor(knex: Knex, customerId: string, address: string): Promise<WayIn | null> {
	const { rows } = await knex.raw(
		`select id, name, kind, host, port, login, host_key as "hostKey" from way_in, unnest(ranges) range
		where customer_id = ? and range >>= ?::inet order by masklen(range) desc, name limit 1`,
		[customerId, address]
	);
	return (rows as WayIn[])[0] ?? null;
}

/** A connection to an address, opened; with what has to be closed when it is. */
export async function openTo(way: WayIn | null, address: string, port: number): Promise<Duplex> {
	if (way === null) return tcpTo(address, port);
	return way.kind === 'socks5' ? overProxy(way, address, port) : overJumpHost(way, address, port);
}

function tcpTo(host: string, port: number): Promise<Duplex> {
	return new Promise((resolve, reject) => {
		const socket = connect({ host, port, timeout: OPEN_MS });
		socket.once('connect', () => {
			socket.setTimeout(0);
			socket.setNoDelay(true);
			resolve(socket);
		});
		socket.once('timeout', () =>
			socket.destroy(new Error(`${host} did not answer within ${OPEN_MS / 1000} s.`))
		);
		// It stays: what goes wrong later is told by whoever uses the connection
		socket.on('error', reject);
	});
}

async function overProxy(way: WayIn, host: string, port: number): Promise<Duplex> {
	const login = way.login === null ? null : (JSON.parse(unseal(way.login)) as SshLogin);
	try {
		const { socket } = await SocksClient.createConnection({
			proxy: {
				host: way.host,
				port: way.port,
				type: 5,
				...(login && { userId: login.user, password: login.password ?? '' })
			},
			command: 'connect',
			destination: { host, port },
			timeout: OPEN_MS
		});
		socket.on('error', () => socket.destroy());
		return socket;
	} catch (error) {
		throw new Error(`By way of “${way.name}”: ${(error as Error).message}`, { cause: error });
	}
}

async function overJumpHost(way: WayIn, host: string, port: number): Promise<Duplex> {
	let socket: Duplex | undefined;
	try {
		socket = await tcpTo(way.host, way.port);
		const login = JSON.parse(unseal(way.login!)) as SshLogin;
		const { client: jump } = await connectOver(
			socket,
			(key) => runAs(BOOTSTRAP, () => pinned('way_in', { id: way.id }, key)),
			async () => [{ name: way.name, login }],
			true
		);
		return await new Promise((resolve, reject) =>
			jump.forwardOut('127.0.0.1', 0, host, port, (error, channel) => {
				if (error) {
					jump.end();
					return reject(error);
				}
				// The one is there for the other only
				channel.on('close', () => jump.end());
				jump.on('close', () => channel.destroy());
				channel.on('error', () => channel.destroy());
				resolve(channel);
			})
		);
	} catch (error) {
		socket?.destroy();
		throw new Error(`By way of “${way.name}”: ${(error as Error).message}`, { cause: error });
	}
}

export const ANOTHER_KEY =
	'Its host key is another one than at the first contact. If it was replaced or set back, give its login again.';

/** Whether a host key is the one that was pinned; the first one is. Rejects in words when it is another. */
export async function pinned(
	table: 'way_in' | 'unit_reach',
	row: Readonly<Record<string, string>>,
	key: Buffer
): Promise<boolean> {
	const text = key.toString('base64');
	const [first] = await database()(table)
		.where(row)
		.whereNull('host_key')
		.update({ host_key: text })
		.returning('host_key');
	if (first) return true;
	const known = await database()(table).where(row).first('host_key as hostKey');
	if (known?.hostKey !== text) throw new Error(ANOTHER_KEY);
	return true;
}
