import { connect, createServer, type Socket } from 'node:net';
import { timingSafeEqual } from 'node:crypto';
import ssh2 from 'ssh2';
import type { Account, Home } from './makers';
import { serveNetconf, type NetconfDevice } from './netconf';

/** A host key of a unit's own. One in some 500 that ssh2 makes is not well-formed, and is made again. */
export function newHostKey(): string {
	for (;;) {
		const { private: made } = ssh2.utils.generateKeyPairSync('ed25519');
		if (!(ssh2.utils.parseKey(made) instanceof Error)) return made;
	}
}

/** What a command prints, or why it does nothing; one that reads its input says so first. */
type Reply = string | { readonly problem: string } | { readonly reads: (input: string) => Reply };
/** What it answers to single commands, at once or after a while, null when it knows no such; or how it serves NETCONF, where it has that. */
export type Answering =
	((command: string) => Reply | null | Promise<Reply | null>) | { readonly netconf: () => NetconfDevice };

function reply(channel: ssh2.ServerChannel, said: Reply): void {
	if (typeof said === 'object' && 'reads' in said) {
		const chunks: Buffer[] = [];
		channel.on('data', (chunk: Buffer) => chunks.push(chunk));
		channel.on('end', () => reply(channel, said.reads(Buffer.concat(chunks).toString())));
		return;
	}
	if (typeof said === 'string') channel.write(said);
	else channel.stderr.write(`error: ${said.problem}\n`);
	channel.exit(typeof said === 'string' ? 0 : 1);
	channel.end();
}

/**
 * Dials home (RFC 8071): opens the connection, then is the SSH server on it. Only the key that the
 * configuration names may log in, and its accounts with their passwords, and only to run commands. Resolves when the connection ends.
 */
export function dialHome(
	home: Home,
	hostKey: string,
	answer: Answering,
	onLogin: () => void,
	signal: AbortSignal,
	from?: string
): Promise<void> {
	const trusted = ssh2.utils.parseKey(home.key);
	if (trusted instanceof Error) return Promise.resolve();
	const key = Array.isArray(trusted) ? trusted[0] : trusted;
	return new Promise((resolve) => {
		const socket = connect({ host: home.host, port: home.port, ...(from && { localAddress: from }) });
		const end = () => {
			signal.removeEventListener('abort', end);
			socket.destroy();
			resolve();
		};
		signal.addEventListener('abort', end);
		socket.on('error', end);
		socket.on('close', end);
		const server = new ssh2.Server({ hostKeys: [hostKey] }, (client) =>
			answerClient(client, { user: home.user, key }, () => home.accounts, answer, onLogin, end)
		);
		socket.on('connect', () => server.injectSocket(socket));
	});
}

/** Listens at an address, for accounts with their passwords alone. Resolves when the signal ends it, or it cannot listen there. */
export function listenAt(
	address: string,
	port: number,
	hostKey: string,
	accounts: () => readonly Account[],
	answer: Answering,
	signal: AbortSignal
): Promise<void> {
	return new Promise((resolve) => {
		const sockets = new Set<Socket>();
		const server = new ssh2.Server({ hostKeys: [hostKey] }, (client) =>
			answerClient(
				client,
				null,
				accounts,
				answer,
				() => undefined,
				() => client.end()
			)
		);
		const listener = createServer((socket) => {
			sockets.add(socket);
			socket.on('error', () => socket.destroy());
			socket.on('close', () => sockets.delete(socket));
			server.injectSocket(socket);
		});
		const end = () => {
			signal.removeEventListener('abort', end);
			for (const socket of sockets) socket.destroy();
			listener.close(() => resolve());
		};
		listener.on('error', end);
		signal.addEventListener('abort', end);
		listener.listen(port, address);
	});
}

/** Lets in whoever has the one key, or an account, and answers them. */
function answerClient(
	client: ssh2.Connection,
	own: { readonly user: string; readonly key: ssh2.ParsedKey } | null,
	accounts: () => readonly Account[],
	answer: Answering,
	onLogin: () => void,
	onEnd: () => void
): void {
	client.on('error', onEnd);
	client.on('close', onEnd);
	client.on('authentication', (attempt) => {
		const hasKey =
			own !== null &&
			attempt.method === 'publickey' &&
			attempt.username === own.user &&
			attempt.key.algo === own.key.type &&
			sameBytes(attempt.key.data, own.key.getPublicSSH()) &&
			(!attempt.signature || own.key.verify(attempt.blob!, attempt.signature, attempt.hashAlgo) === true);
		const isKnown =
			attempt.method === 'password' &&
			accounts().some(
				({ user, password }) => user === attempt.username && password !== '' && password === attempt.password
			);
		if (hasKey || isKnown) attempt.accept();
		else
			attempt.reject([
				...(own ? (['publickey'] as const) : []),
				...(accounts().length > 0 ? (['password'] as const) : [])
			]);
	});
	client.on('ready', () => {
		onLogin();
		client.on('session', (accept) => {
			const session = accept();
			if (typeof answer !== 'function')
				return void session.on('subsystem', (acceptSubsystem, reject, { name }) =>
					name === 'netconf' ? serveNetconf(acceptSubsystem(), answer.netconf) : reject()
				);
			session.on('exec', (acceptExec, _reject, { command }) => {
				const channel = acceptExec();
				void Promise.resolve(answer(command)).then((said) =>
					reply(channel, said ?? { problem: `unknown command: ${command}` })
				);
			});
		});
	});
}

const sameBytes = (a: Buffer, b: Buffer) => a.length === b.length && timingSafeEqual(a, b);
