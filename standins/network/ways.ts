import { createServer, type Server, type Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import ssh2 from 'ssh2';

/**
 * What stands at a customer's edge and lets others in: a SOCKS5 proxy (RFC 1928, 1929) and an SSH jump host. Behind them
 * are addresses of the customer's own, which mean nothing outside.
 */
export type Behind = (host: string, port: number) => Promise<Duplex | null>;
interface Credentials {
	readonly user: string;
	readonly password: string;
}

const SOCKS = 5;
const [NO_LOGIN, WITH_PASSWORD, NONE_FITS] = [0, 2, 0xff];
const [GRANTED, HOST_UNREACHABLE] = [0, 4];

/** Reads exactly so many octets of a stream that is paused between. */
async function octets(socket: Socket, count: number): Promise<Buffer> {
	for (;;) {
		const got = socket.read(count) as Buffer | null;
		if (got) return got;
		if (socket.readableEnded || socket.destroyed) throw new Error('closed');
		await new Promise<void>((resolve) => {
			const go = () => {
				for (const event of ['readable', 'end', 'close'] as const) socket.off(event, go);
				resolve();
			};
			for (const event of ['readable', 'end', 'close'] as const) socket.on(event, go);
		});
	}
}

async function speakSocks(socket: Socket, behind: Behind, login: Credentials | null): Promise<void> {
	const [, methodCount] = await octets(socket, 2);
	const methods = await octets(socket, methodCount!);
	const method = login ? WITH_PASSWORD : NO_LOGIN;
	const fits = methods.includes(method);
	socket.write(Buffer.from([SOCKS, fits ? method : NONE_FITS]));
	if (!fits) return void socket.end();
	if (login) {
		const part = async () => (await octets(socket, (await octets(socket, 1))[0]!)).toString();
		await octets(socket, 1);
		const [user, password] = [await part(), await part()];
		const isRight = user === login.user && password === login.password;
		socket.write(Buffer.from([1, isRight ? 0 : 1]));
		if (!isRight) return void socket.end();
	}
	const kind = (await octets(socket, 4))[3];
	const host =
		kind === 1
			? [...(await octets(socket, 4))].join('.')
			: (await octets(socket, (await octets(socket, 1))[0]!)).toString();
	const port = (await octets(socket, 2)).readUInt16BE();
	const other = await behind(host, port);
	socket.write(Buffer.from([SOCKS, other ? GRANTED : HOST_UNREACHABLE, 0, 1, 0, 0, 0, 0, 0, 0]));
	if (!other) return void socket.end();
	socket.pipe(other).pipe(socket);
	socket.on('close', () => other.destroy());
	other.on('error', () => socket.destroy());
}

const listening = (server: Server, port: number): Promise<Server> =>
	new Promise((resolve) => server.listen(port, '127.0.0.1', () => resolve(server)));

export function serveSocks(port: number, behind: Behind, login: Credentials | null): Promise<Server> {
	const server = createServer((socket) => {
		socket.on('error', () => socket.destroy());
		void speakSocks(socket, behind, login).catch(() => socket.destroy());
	});
	return listening(server, port);
}

/** A host that forwards connections for who has logged in, and does nothing else. */
export function serveJump(
	port: number,
	behind: Behind,
	login: Credentials,
	hostKey: string
): Promise<Server> {
	const server = createServer((socket) => {
		socket.on('error', () => socket.destroy());
		const ssh = new ssh2.Server({ hostKeys: [hostKey] }, (client) => {
			client.on('error', () => socket.destroy());
			client.on('authentication', (attempt) => {
				const isRight =
					attempt.method === 'password' &&
					attempt.username === login.user &&
					attempt.password === login.password;
				if (isRight) attempt.accept();
				else attempt.reject(['password']);
			});
			client.on('tcpip', (accept, reject, { destIP, destPort }) => {
				void behind(destIP, destPort).then((other) => {
					if (!other) return void reject();
					const channel = accept();
					channel.pipe(other).pipe(channel);
					channel.on('close', () => other.destroy());
					channel.on('error', () => other.destroy());
					other.on('error', () => channel.close());
				});
			});
		});
		ssh.injectSocket(socket);
	});
	return listening(server, port);
}
