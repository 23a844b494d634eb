import type { Duplex } from 'node:stream';
import ssh2, { type Client, type ConnectConfig } from 'ssh2';
import { callHomeKey } from '../keys';

/**
 * SSH as the client: over a connection that the unit opened (RFC 8071), or that we opened to it. The host key is
 * offered to `isKnown` before anything of ours is said; an unknown one ends the connection.
 */
const HANDSHAKE_MS = 20_000;
const KEEP_ALIVE_MS = 30_000;
/** A unit that answers none of so many is gone: noticed within a minute and a half. */
const KEEP_ALIVES_MISSED = 2;
export const UNIT_USER = 'limen';

/** How we log in. */
export interface SshLogin {
	readonly user: string;
	/** A password or a private key in OpenSSH's or PEM's form. */
	readonly password?: string | undefined;
	readonly privateKey?: string | undefined;
}
/** The same for a unit. */
export interface UnitLogin extends SshLogin {
	/** The password that raises privileges on its command line. */
	readonly privileges?: string | undefined;
}
/** Who dials home knows us by our own key. */
const ownLogin = (): SshLogin => ({ user: UNIT_USER, privateKey: callHomeKey().private });

/** Equipment that is reached at an address can be old; what it dials home with we have given it ourselves. */
const OLDER: ConnectConfig['algorithms'] = {
	kex: { append: ['diffie-hellman-group14-sha1'], prepend: [], remove: [] },
	serverHostKey: { append: ['ssh-rsa'], prepend: [], remove: [] },
	cipher: { append: ['aes256-cbc', 'aes128-cbc'], prepend: [], remove: [] },
	hmac: { append: ['hmac-sha1'], prepend: [], remove: [] }
};

/**
 * Logs in to the unit at the other end of `stream`. Rejects when the handshake fails, takes too long or the
 * key is not known. The client emits further errors whenever the other side misbehaves, also after this has
 * settled: a listener that stays takes them, since an `error` without a listener would end the process.
 */
export function connectOver(
	stream: Duplex,
	isKnown: (key: Buffer) => Promise<boolean>,
	login?: SshLogin
): Promise<Client> {
	const client = new ssh2.Client();
	const { user, password, privateKey } = login ?? ownLogin();
	return new Promise((resolve, reject) => {
		let closed = false;
		client.on('error', reject);
		client.on('close', () => {
			closed = true;
			reject(new Error('The connection closed before the login.'));
		});
		client.once('ready', () => resolve(client));
		// Some ask for the password as a question
		client.on('keyboard-interactive', (_name, _instructions, _language, prompts, answer) =>
			answer(prompts.map(() => password ?? ''))
		);
		client.connect({
			sock: stream,
			username: user,
			...(password !== undefined && { password, tryKeyboard: true }),
			...(privateKey !== undefined && { privateKey }),
			...(login && { algorithms: OLDER }),
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
