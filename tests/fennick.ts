import { readFileSync } from 'node:fs';
import { request } from 'node:https';
import { connect, type Socket } from 'node:net';
import ssh2 from 'ssh2';
import { decodeConveyed, fromBase64 } from '../src/core/bootstrap';

/** The pack that docs/packs.md makes from a manual, to the letter. */
export const FENNICK_PACK = /```json\n([^]*?)\n```/.exec(
	readFileSync(new URL('../docs/packs.md', import.meta.url), 'utf8')
)![1]!;

/** The same as a version of its own: what tests load side by side is told apart. */
let versions = 0;
export const fennickPack = (change: (text: string) => string = (text) => text): string =>
	change(FENNICK_PACK).replace('"version": "1"', `"version": "test-${process.pid}-${++versions}"`);

const OPERATIONS = '/restconf/operations/ietf-sztp-bootstrap-server:';
const INPUT = 'ietf-sztp-bootstrap-server:input';
const OUTPUT = 'ietf-sztp-bootstrap-server:output';

/**
 * An FN-10 as its manual in docs/packs.md has it: a program of the tests' own that shares nothing with how Limen
 * talks. It asks for what it is to become, then dials home and has a command line.
 */
export class Fennick {
	configuration = '';
	version = '3.4.1';
	/** What was typed at its command line, line by line. */
	readonly typed: string[] = [];
	/** Prints this, unasked, just before it answers the next command. */
	message = '';
	/** Rings, shows colours and stops its greeting at the pager. */
	loud = false;
	/** How it goes wrong: it never shows a prompt, asks what nobody foresaw, prints without end, or hangs up. */
	fault: 'mute' | 'asks' | 'endless' | 'hangs up' | null = null;
	/** What it ran before a change that waits to be kept. */
	before: string | null = null;
	/** What “admin” asks for; null: for nothing, as the manual has it. */
	adminPassword: string | null = null;
	/** Of its user “operator”, for those who reach it at its address. */
	password = 'as the manual says';
	hostKey = madeKey();
	#life = new AbortController();

	constructor(
		readonly serial: string,
		readonly claimCode: string
	) {}

	/** Asks the bootstrap server at `base`, and takes what it is given. */
	async bootstrap(base: string): Promise<void> {
		const answer = await this.#invoke(base, 'get-bootstrapping-data', {});
		const output = (JSON.parse(answer) as Record<string, Record<string, string>>)[OUTPUT]!;
		const conveyed = decodeConveyed(output['conveyed-information']!);
		const given = conveyed.ok && 'ietf-sztp-conveyed-info:onboarding-information' in conveyed.information;
		if (!given) throw new Error('nothing was conveyed');
		const { configuration } = conveyed.information['ietf-sztp-conveyed-info:onboarding-information'];
		await this.#progress(base, 'bootstrap-initiated');
		this.configuration = fromBase64(configuration!);
		const parsed = ssh2.utils.parseKey(this.hostKey) as ssh2.ParsedKey;
		await this.#progress(base, 'bootstrap-complete', {
			'ssh-host-keys': {
				'ssh-host-key': [{ algorithm: parsed.type, 'key-data': parsed.getPublicSSH().toString('base64') }]
			}
		});
	}

	#progress(base: string, type: string, more: object = {}): Promise<string> {
		return this.#invoke(base, 'report-progress', { 'progress-type': type, ...more });
	}
	#invoke(base: string, operation: string, input: object): Promise<string> {
		const asked = request(`${base}${OPERATIONS}${operation}`, {
			method: 'POST',
			// It is given no anchor for the server's certificate, and takes what it gets
			rejectUnauthorized: false,
			headers: {
				'content-type': 'application/yang-data+json',
				authorization: `Basic ${Buffer.from(`${this.serial}:${this.claimCode}`).toString('base64')}`
			}
		});
		asked.end(JSON.stringify({ [INPUT]: input }));
		return new Promise((resolve, reject) => {
			asked.on('error', reject);
			asked.on('response', (answer) => {
				answer.setEncoding('utf8');
				let text = '';
				answer.on('data', (more: string) => (text += more));
				answer.on('end', () =>
					answer.statusCode! < 300
						? resolve(text)
						: reject(new Error(`${operation}: ${answer.statusCode} ${text}`))
				);
			});
		});
	}

	#set(way: string): string | undefined {
		return this.configuration
			.split('\n')
			.find((line) => line.startsWith(`set ${way} `))
			?.slice(`set ${way} `.length)
			.replace(/^"(.*)"$/, '$1');
	}

	/** Dials whom its configuration names; resolves when the connection is over. */
	dialHome(): Promise<void> {
		const key = ssh2.utils.parseKey(this.#set('user limen key')!) as ssh2.ParsedKey;
		const socket = connect({ host: this.#set('home host')!, port: Number(this.#set('home port')) });
		const { signal } = this.#life;
		return new Promise((resolve) => {
			const end = () => {
				socket.destroy();
				resolve();
			};
			signal.addEventListener('abort', end);
			socket.on('error', end);
			socket.on('close', end);
			const server = this.#sshServer(
				(attempt) =>
					attempt.method === 'publickey' &&
					attempt.username === 'limen' &&
					attempt.key.data.equals(key.getPublicSSH()) &&
					(!attempt.signature || key.verify(attempt.blob!, attempt.signature, attempt.hashAlgo) === true),
				end
			);
			socket.on('connect', () => server.injectSocket(socket));
		});
	}

	/** Lets itself be reached over such a connection, with its operator's password. */
	answer(socket: Socket): void {
		socket.on('error', () => socket.destroy());
		this.#life.signal.addEventListener('abort', () => socket.destroy());
		this.#sshServer(
			(attempt) =>
				attempt.method === 'password' &&
				attempt.username === 'operator' &&
				attempt.password === this.password,
			() => socket.destroy()
		).injectSocket(socket);
	}

	#sshServer(isKnown: (attempt: ssh2.AuthContext) => boolean, end: () => void): ssh2.Server {
		return new ssh2.Server({ hostKeys: [this.hostKey] }, (client) => {
			client.on('error', end);
			client.on('close', end);
			client.on('authentication', (attempt) => {
				if (isKnown(attempt)) attempt.accept();
				else attempt.reject(['publickey', 'password']);
			});
			client.on('session', (accept) => {
				const session = accept();
				session.on('pty', (acceptPty) => acceptPty?.());
				// It knows no single commands
				session.on('exec', (_accept, reject) => reject?.());
				session.on('shell', (acceptShell) => this.#serve(acceptShell()));
			});
		});
	}

	unplug(): void {
		this.#life.abort();
		this.#life = new AbortController();
	}

	#serve(channel: ssh2.ServerChannel): void {
		const name = this.#set('system name') ?? 'fn-10';
		let [admin, pages, line, literal] = [false, true, '', false];
		/** The password that it waits for; what is typed then is not shown. */
		let awaited: string | null = null;
		/** The lines of the copy that is being changed. */
		let copy: string[] | null = null;
		/** What the pager holds back. */
		let rest: string[] = [];
		const prompt = () =>
			`${this.loud ? '\u0007\u001b[1m' : ''}${name}${copy ? '(change)' : ''}${admin ? '#' : '>'} ${this.loud ? '\u001b[0m' : ''}`;
		const print = (lines: string[]) => {
			const now = pages ? lines.splice(0, 4) : lines.splice(0);
			channel.write(now.map((one) => `${one}\r\n`).join(''));
			rest = lines;
			channel.write(rest.length > 0 ? '-- more (space) --' : prompt());
		};
		const obey = (command: string) => {
			this.typed.push(command);
			if (this.message) channel.write(`\r\n${this.message}\r\n`);
			this.message = '';
			if (command === 'quit') return void channel.end();
			if (this.fault === 'hangs up' && command === 'show configuration') return void channel.close();
			if (this.fault === 'asks' && command === 'show configuration')
				return void channel.write('Erase the old logs as well? (yes/no) ');
			if (this.fault === 'endless' && command === 'show configuration')
				return void channel.write('set a b\r\n'.repeat(200_000));
			if (awaited !== null) {
				const isRight = command === awaited;
				awaited = isRight ? null : awaited;
				if (isRight) admin = true;
				else channel.write('% no\r\n');
				return void channel.write(isRight ? prompt() : 'Password: ');
			}
			if (command === 'admin' && this.adminPassword !== null) {
				awaited = this.adminPassword;
				return void channel.write('Password: ');
			}
			if (command === 'admin') admin = true;
			else if (command === 'terminal pages off') pages = false;
			else if (admin && command === 'change') copy = this.configuration.split('\n');
			else if (copy && command === 'clear') copy = [];
			else if (copy && command === 'abandon') copy = null;
			else if (copy && /^set (system|port|home|user) /.test(command)) copy.push(command);
			else if (copy && /^apply for \d+ seconds$/.test(command)) {
				this.before = this.configuration;
				this.configuration = copy.join('\n');
				copy = null;
			} else if (admin && this.before !== null && (command === 'keep' || command === 'undo')) {
				if (command === 'undo') this.configuration = this.before;
				this.before = null;
			} else if (command !== '') return print(this.#answer(command, admin));
			channel.write(prompt());
		};
		channel.on('data', (chunk: Buffer) => {
			for (const key of chunk.toString()) {
				if (rest.length > 0) {
					if (key !== ' ') continue;
					channel.write('\r                  \r');
					print(rest);
				} else if (literal || (key !== '\u0016' && key !== '?' && key !== '\r')) {
					literal = false;
					line += key;
					if (awaited === null) channel.write(key);
				} else if (key === '\u0016') literal = true;
				else if (key === '?') channel.write(`?\r\nhelp: admin, show, ping, quit\r\n${prompt()}${line}`);
				else {
					channel.write('\r\n');
					const command = line.trim();
					line = '';
					obey(command);
				}
			}
		});
		if (this.fault === 'mute') return void channel.write('Fennick FN-10\r\n');
		print(['Fennick FN-10', 'Be kind.', ...(this.loud ? ['One', 'Two', 'Three'] : [])]);
	}

	#answer(command: string, admin: boolean): string[] {
		const ping = /^ping (\S+) count 3$/.exec(command);
		if (ping) return [ping[1] === '192.0.2.53' ? '3 sent, 3 received, 1.2 ms' : '3 sent, 0 received, 0.0 ms'];
		if (command === 'show system')
			return [
				'Fennick FN-10',
				`Serial no: ${this.serial}   Base MAC: 02:0f:0e:00:00:01`,
				`Software:  ${this.version} (built 2026-01-12)`,
				'Uptime:    4 d 2 h'
			];
		if (command === 'show configuration' && admin)
			return [
				`# Fennick configuration, printed ${new Date().toISOString().slice(11, 19)}`,
				'set system clock-drift 0.31',
				...this.configuration
					.split('\n')
					.filter((line) => line.startsWith('set '))
					.reverse()
			];
		if (command === 'show neighbours')
			return [
				'Port   Chassis             Their port  Name',
				'lan0   02:5a:1f:00:00:07   eth0        ap-lobby'
			];
		return [`% There is no "${command}".`];
	}
}

/** One in some 500 keys that ssh2 makes is not well-formed, and is made again. */
export function madeKey(): string {
	for (;;) {
		const { private: made } = ssh2.utils.generateKeyPairSync('ed25519');
		if (!(ssh2.utils.parseKey(made) instanceof Error)) return made;
	}
}
