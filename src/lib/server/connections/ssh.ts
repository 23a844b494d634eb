import type { Socket } from 'node:net';
import ssh2, { type Client } from 'ssh2';
import { callHomeKey } from '../keys';

/**
 * SSH as the client, over a connection that the unit opened (RFC 8071). The host key is offered to
 * `isKnown` before anything of ours is said; an unknown one ends the connection.
 */
const HANDSHAKE_MS = 20_000;
const KEEP_ALIVE_MS = 30_000;
/** A unit that answers none of so many is gone: noticed within a minute and a half. */
const KEEP_ALIVES_MISSED = 2;
export const UNIT_USER = 'limen';

/**
 * Logs in to the unit at the other end of `socket`. Rejects when the handshake fails, takes too long or the
 * key is not known. The client emits further errors whenever the other side misbehaves, also after this has
 * settled: a listener that stays takes them, since an `error` without a listener would end the process.
 */
export function connectOver(socket: Socket, isKnown: (key: Buffer) => Promise<boolean>): Promise<Client> {
	const client = new ssh2.Client();
	return new Promise((resolve, reject) => {
		let closed = false;
		client.on('error', reject);
		client.on('close', () => {
			closed = true;
			reject(new Error('The connection closed before the login.'));
		});
		client.once('ready', () => resolve(client));
		client.connect({
			sock: socket,
			username: UNIT_USER,
			privateKey: callHomeKey().private,
			readyTimeout: HANDSHAKE_MS,
			keepaliveInterval: KEEP_ALIVE_MS,
			keepaliveCountMax: KEEP_ALIVES_MISSED,
			hostVerifier: (key: Buffer, verify: (valid: boolean) => void) => {
				isKnown(key)
					.catch((error: Error) => {
						reject(error);
						return false;
					})
					// Who has hung up meanwhile is not answered: that would write to a closed connection
					.then((known) => closed || verify(known))
					.catch(reject);
			}
		});
	});
}
