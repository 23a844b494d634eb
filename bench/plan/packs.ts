import { once } from 'node:events';
import { connect, createServer, type AddressInfo } from 'node:net';
import ssh2, { type Client, type ClientChannel } from 'ssh2';
import { comparable, NO_RULES, parseConfig, type DialectRules } from '../../src/core/config';
import { readPack } from '../../src/core/pack';
import { ShellConsole } from '../../src/lib/server/connections/speaking/shell';
import { newHostKey } from '../../standins/units/home';
import { FENNICK_PACK } from '../../tests/fennick';
import { inTurns, type Figure } from '../world';

const CONFIGURATIONS = 2_000;
const MOST_READING = 1.3;
const COMMANDS = 300;
const MOST_SHELL = 1.5;

/** A router's configuration of three hundred lines, with what its maker prints around it. */
const printed = (number: number): string =>
	[
		`Building configuration of unit ${number}`,
		'Current configuration: 9120 bytes',
		`clock-drift 0.${number}`,
		'user admin',
		`  hash $6$${number}`,
		...Array.from(
			{ length: 59 },
			(_, n) =>
				`port lan${n}\n  note "desk ${n}"\n  own-address 10.${n}.${number % 250}.1/24\n  vlan ${n}\n  enabled`
		),
		'end'
	].join('\n');
const RULES: DialectRules = {
	...NO_RULES,
	around: ['^Building configuration', '^Current configuration: \\d+ bytes$'],
	ends: ['end'],
	volatile: [['clock-drift *']],
	salted: [['user *', 'hash *']]
};

/** Reading configurations by a pack's rules, against the same reader without them. */
async function benchReading(): Promise<Figure[]> {
	const texts = Array.from({ length: CONFIGURATIONS }, (_, number) => printed(number));
	const read = (rules?: DialectRules) => () => {
		for (const text of texts) {
			const reading = parseConfig(text, 'indented', rules);
			if (!reading.ok) throw new Error('not read');
			if (rules) comparable(reading.tree, rules);
		}
	};
	const { baseline, measured, ratio } = await inTurns(7, read(), read(RULES));
	return [
		{
			name: `${CONFIGURATIONS.toLocaleString('en')} configurations of 300 lines by a pack’s rules`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms without rules`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST_READING} ×`,
			held: ratio <= MOST_READING
		}
	];
}

const PROMPT = 'fn-10# ';
/** A device whose command line answers at once. */
async function commandLine(): Promise<{ readonly client: Client; readonly end: () => void }> {
	const device = new ssh2.Server({ hostKeys: [newHostKey()] }, (client) => {
		client.on('error', () => undefined);
		client.on('authentication', (attempt) => attempt.accept());
		client.on('session', (accept) => {
			const session = accept();
			session.on('pty', (acceptPty) => acceptPty?.());
			session.on('shell', (acceptShell) => {
				const channel = acceptShell();
				channel.write(PROMPT);
				channel.on('data', (chunk: Buffer) => {
					const line = chunk.toString().replace('\r', '');
					channel.write(`${line}\r\nSoftware: 3.4.1\r\nUptime: 4 d 2 h\r\n${PROMPT}`);
				});
			});
		});
	});
	const listener = createServer((socket) => device.injectSocket(socket)).listen(0, '127.0.0.1');
	await once(listener, 'listening');
	const client = new ssh2.Client();
	client.connect({
		sock: connect((listener.address() as AddressInfo).port, '127.0.0.1'),
		username: 'limen',
		password: 'bench'
	});
	await once(client, 'ready');
	return {
		client,
		end: () => {
			client.end();
			listener.close();
		}
	};
}

/** A pack's shell, against a bare one that knows the prompt to the letter. */
async function benchShell(): Promise<Figure[]> {
	const { client, end } = await commandLine();
	const read = readPack(FENNICK_PACK);
	if (!read.ok) throw new Error('the pack is not right');
	const rules = { ...read.pack.talks['command-line']!.shell!, rise: undefined, prepare: [] };
	const shell = await ShellConsole.open(client, rules, null);
	const bare = await new Promise<ClientChannel>((resolve, reject) =>
		client.shell({ term: 'vt100' }, (error, channel) => (error ? reject(error) : resolve(channel)))
	);
	let heard = '';
	let told = () => {};
	bare.on('data', (chunk: Buffer) => {
		heard += chunk.toString();
		if (heard.endsWith(PROMPT)) told();
	});
	const next = () => new Promise<void>((resolve) => (told = resolve));
	if (!heard.endsWith(PROMPT)) await next();
	const { baseline, measured, ratio } = await inTurns(
		7,
		async () => {
			for (let count = 0; count < COMMANDS; count++) {
				heard = '';
				const answered = next();
				bare.write('show system\r');
				await answered;
			}
		},
		async () => {
			for (let count = 0; count < COMMANDS; count++) await shell.say('show system');
		}
	);
	end();
	return [
		{
			name: `${COMMANDS} commands over a pack’s shell`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms over a bare shell that knows the prompt`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST_SHELL} ×`,
			held: ratio <= MOST_SHELL
		}
	];
}

export const benchPacks = async (): Promise<Figure[]> => [...(await benchReading()), ...(await benchShell())];
