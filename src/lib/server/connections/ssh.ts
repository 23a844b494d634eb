import type { Socket } from 'node:net';
import ssh2, { type Client, type ClientChannel } from 'ssh2';
import { cleanText } from '../../../core/text';
import { callHomeKey } from '../keys';

/**
 * SSH as the client, over a connection that the unit opened (RFC 8071). The host key is offered to
 * `isKnown` before anything of ours is said; an unknown one ends the connection.
 */
const HANDSHAKE_MS = 20_000;
const COMMAND_MS = 60_000;
const KEEP_ALIVE_MS = 30_000;
/** A unit that answers none of so many is gone: noticed within a minute and a half. */
const KEEP_ALIVES_MISSED = 2;
/** No unit's configuration is longer; a hostile one could print for ever. */
const MOST_PRINTED_BYTES = 1024 * 1024;
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

/** What the unit printed to one command, cleaned. Rejects when it takes too long, prints too much or says it failed. */
export function run(client: Client, command: string): Promise<string> {
	return new Promise((resolve, reject) => {
		let open: ClientChannel | undefined;
		const deadline = setTimeout(() => {
			reject(new Error(`“${command}” took longer than ${COMMAND_MS / 1000} s.`));
			// What is not even begun holds everything up; of what is, nothing more is wanted
			if (open) open.close();
			else client.end();
		}, COMMAND_MS);
		const finish = (act: () => void) => {
			clearTimeout(deadline);
			act();
		};
		const begun = (error: Error | undefined, channel: ClientChannel) => {
			if (error) return finish(() => reject(error));
			open = channel;
			channel.on('error', (failed: Error) => finish(() => reject(failed)));
			const chunks: Buffer[] = [];
			let bytes = 0;
			channel.on('data', (chunk: Buffer) => {
				bytes += chunk.length;
				if (bytes > MOST_PRINTED_BYTES) {
					channel.close();
					return finish(() => reject(new Error(`“${command}” printed more than 1 MB.`)));
				}
				chunks.push(chunk);
			});
			channel.stderr.resume();
			let status: number | null = null;
			channel.on('exit', (code: number | null) => (status = code));
			channel.on('close', () =>
				finish(() =>
					status === null || status === 0
						? resolve(cleanText(Buffer.concat(chunks).toString('utf8')))
						: reject(new Error(`“${command}” ended with status ${status}.`))
				)
			);
		};
		try {
			client.exec(command, begun);
		} catch (error) {
			// It throws at once when the connection is gone
			finish(() => reject(error as Error));
		}
	});
}
