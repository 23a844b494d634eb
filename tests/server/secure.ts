import { readFileSync } from 'node:fs';
import { request, type RequestOptions } from 'node:https';
import { join } from 'node:path';
import { currentSettings } from '../../src/lib/server/settings';

/** The certificate that this installation made for its units' port. */
const authority = () =>
	readFileSync(join(currentSettings().LIMEN_STATE_DIR, 'keys', 'bootstrap.crt'), 'utf8');

export interface Asked {
	readonly port: number;
	readonly path: string;
	readonly method?: string;
	readonly headers?: Record<string, string>;
	readonly body?: string;
	readonly cert?: string;
	readonly key?: string;
	/** A TLS session to take up again, and what hears of one that could be. */
	readonly session?: Buffer;
	readonly onSession?: (session: Buffer) => void;
}
/** Over TLS, trusting only the certificate that this installation made. */
export const secure = ({
	port,
	path,
	method = 'GET',
	headers = {},
	body,
	cert,
	key,
	session,
	onSession
}: Asked) =>
	new Promise<{ status: number; text: string }>((resolve, reject) => {
		request(
			// What a session is for, Node's types do not say
			{
				host: '127.0.0.1',
				servername: 'localhost',
				port,
				path,
				method,
				headers,
				ca: authority(),
				cert,
				key,
				session,
				agent: false
			} as RequestOptions,
			(response) => {
				let text = '';
				response.setEncoding('utf8').on('data', (part: string) => (text += part));
				response.on('end', () => resolve({ status: response.statusCode!, text }));
			}
		)
			.on('error', reject)
			.on('socket', (socket) => onSession && socket.on('session', onSession))
			.end(body);
	});
