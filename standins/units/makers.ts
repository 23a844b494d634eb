import {
	BRACED,
	INDENTED,
	markedUp,
	MARKUP,
	NotUnderstood,
	OBJECT,
	type Format,
	type Statement
} from './configuration';
import type { PortState, Surroundings } from '../network/fabric';
import type { Changes } from './changes';
import { conditionAt, Meters, type Condition, type Traffic } from './load';
import type { Fetched, Images } from './images';
import { edited, OKAPIRA_EDITOR, VELTRANE_EDITOR, type Editor } from './editing';
import type { NetconfDevice } from './netconf';

/** What each maker's firmware looks like from its command line, and where its settings are. */
export interface Maker {
	readonly format: Format;
	readonly osName: string;
	/** Its units believe nobody but whom its voucher names. */
	readonly vouches?: true;
	/** The word whose absence the fault "rejected line" plays. */
	readonly newWord: string;
	readonly ordered: ReadonlySet<string>;
	readonly answer: (command: string, device: Device) => Reply | null;
	/** How it serves NETCONF, where that is what it has instead of commands. */
	readonly netconf?: (device: Device) => NetconfDevice;
	readonly home: (statements: readonly Statement[]) => Home | null;
	/** Who may log in with a password. */
	readonly accounts: (statements: readonly Statement[]) => readonly Account[];
	/** What is typed at its console is gone with its power unless it is saved. */
	readonly savesApart?: true;
	/** What it calls itself, and to whom it says what happens to it. */
	readonly logging: (statements: readonly Statement[]) => {
		readonly name: string | undefined;
		readonly server: string | undefined;
	};
}

/** Whom the unit dials, and whose key may log in. */
export interface Home {
	readonly host: string;
	readonly port: number;
	readonly user: string;
	readonly key: string;
	/** Who else may log in, with a password. */
	readonly accounts: readonly Account[];
}
export interface Account {
	readonly user: string;
	readonly password: string;
}

const find = (statements: readonly Statement[], word: string): Statement | undefined =>
	statements.find((one) => one.word === word);
const all = (statements: readonly Statement[], word: string): readonly Statement[] =>
	statements.filter((one) => one.word === word);
const unquoted = (text: string): string => (text.startsWith('"') ? (JSON.parse(text) as string) : text);

const valueOf = (statement: Statement | undefined, word: string): string | undefined => {
	const value = statement && find(statement.inside, word)?.value;
	return value === undefined ? undefined : unquoted(value);
};

const homeOf = (
	home: Statement | undefined,
	keeper: Statement | undefined,
	user: string | undefined,
	key: string,
	accounts: readonly Account[] = []
): Home | null => {
	const host = home && find(home.inside, 'host')?.value;
	const port = home && find(home.inside, 'port')?.value;
	const publicKey = keeper && find(keeper.inside, key)?.value;
	return host && port && publicKey && user
		? {
				host: unquoted(host),
				port: Number(port),
				user: unquoted(user),
				key: unquoted(publicKey),
				accounts
			}
		: null;
};
const said = (statements: readonly Statement[], word: string): string =>
	unquoted(find(statements, word)?.value ?? '');
const accountsOf = (accounts: readonly Statement[]): readonly Account[] =>
	accounts.map((account) => ({ user: unquoted(account.value), password: valueOf(account, 'secret') ?? '' }));

/** Devices print in an order of their own: reversed wherever order means nothing. */
function inOwnOrder(statements: readonly Statement[], ordered: ReadonlySet<string>): Statement[] {
	return [...statements]
		.reverse()
		.map((one) =>
			one.kind === 'list' || ordered.has(one.word) ? one : { ...one, inside: inOwnOrder(one.inside, ordered) }
		);
}

function printed(configuration: string, { read, print }: Format, ordered: ReadonlySet<string>): string {
	try {
		return print(inOwnOrder(read(configuration), ordered));
	} catch (error) {
		if (error instanceof NotUnderstood) return configuration;
		throw error;
	}
}

const FILTER = new Set(['filter']);
const RULES = new Set(['rules']);
const NONE = new Set<string>();

/** How it does, by its own clock. */
const condition = ({ serial, network, meters }: Device): Condition & { readonly uptime: number } => {
	const now = network.clock().getTime();
	return { ...conditionAt(serial, now), uptime: metersOf({ serial, meters }).uptime(Date.now()) };
};
const ports = (device: Device): readonly (PortState & Traffic)[] => {
	const meters = metersOf(device);
	return device.network.ports().map((port) => ({ ...port, ...meters.read(port, Date.now()) }));
};
const metersOf = ({ serial, meters }: Pick<Device, 'serial' | 'meters'>): Meters =>
	meters ?? new Meters(serial, Date.now());
/** A counter that begins anew when it is full, as small ones do. */
const small = (count: number): number => count % 2 ** 32;

/** An answer of a line a thing. */
const lines = <One>(all: readonly One[], line: (one: One, index: number) => string): string =>
	all.map((one, index) => `${line(one, index)}\n`).join('');
const json = (answer: unknown): string => `${JSON.stringify(answer)}\n`;

/** What a command line is asked about. */
export interface Device {
	readonly serial: string;
	readonly version: string;
	readonly configuration: string;
	readonly network: Surroundings;
	readonly changes: Changes;
	/** What it would start with, and what makes it start with what it runs. */
	readonly saved?: string;
	readonly save?: () => void;
	/** The release beside the one that runs. */
	readonly images: Images;
	/** What its ports have carried; one without has just been started. */
	readonly meters?: Meters;
	/** Restarts it, once it has answered. */
	readonly restart: () => void;
}
/** What a command prints, or why it does nothing; one that reads its input says so first. */
type Reply = string | { readonly problem: string } | { readonly reads: (input: string) => Reply };
type Commands = readonly (readonly [
	RegExp,
	(device: Device, argument: string, named: Readonly<Record<string, string>>) => Reply
])[];

/** Answers the first command that fits; null when none does. */
const answering =
	(commands: Commands) =>
	(command: string, device: Device): Reply | null => {
		for (const [form, reply] of commands) {
			const found = form.exec(command);
			if (found) return reply(device, found[1] ?? '', found.groups ?? {});
		}
		return null;
	};

const editing = (
	[form, editor]: readonly [RegExp, Editor],
	done: (problem: string | null) => Reply
): Commands[number] => [
	form,
	({ changes, configuration }) => ({
		reads: (text) => {
			try {
				return done(changes.load(edited(configuration, text, editor)));
			} catch (error) {
				if (!(error instanceof NotUnderstood)) throw error;
				return { problem: `line ${error.line}: ${error.message}` };
			}
		}
	})
];

/** What changes a configuration, the same acts in each maker's words. */
const changing = (words: {
	readonly load: RegExp;
	/** Edits a copy of what runs, in its maker's words. */
	readonly edit?: readonly [RegExp, Editor];
	readonly use: RegExp;
	readonly keep: RegExp;
	readonly back: RegExp;
	readonly forget: RegExp;
	readonly restart: RegExp;
	/** Fetches a release from an address: release, hash and address stand in what it matches. */
	readonly fetch: RegExp;
	readonly fetched: readonly [RegExp, (fetched: Fetched) => string];
	readonly install: RegExp;
	readonly drop: RegExp;
}): Commands => {
	const done = (problem: string | null) => (problem === null ? '' : { problem });
	const { fetch, fetched, install, drop } = words;
	return [
		[
			fetch,
			({ images }, _, { release = '', hash = '', address = '' }) => done(images.fetch(address, release, hash))
		],
		[fetched[0], ({ images }) => `${fetched[1](images.fetched)}\n`],
		[install, ({ images }) => done(images.install())],
		[drop, ({ images }) => done(images.forget())],
		[words.load, ({ changes }) => ({ reads: (text) => done(changes.load(text)) })],
		...(words.edit ? [editing(words.edit, done)] : []),
		[words.use, ({ changes }, seconds) => done(changes.commit(Number(seconds), null))],
		[words.keep, ({ changes }) => done(changes.keep())],
		[words.back, ({ changes }) => done(changes.back())],
		[words.forget, ({ changes }) => done(changes.discard())],
		[
			words.restart,
			({ restart }) => {
				restart();
				return '';
			}
		]
	];
};

const fetchedState = (fetched: Fetched): string =>
	`<b:fetched><b:state>${fetched.state}</b:state>` +
	(fetched.state === 'fetching' ? `<b:percent>${fetched.percent}</b:percent>` : '') +
	(fetched.state === 'failed' ? `<b:words>${markedUp(fetched.words)}</b:words>` : '') +
	'</b:fetched>';

const doing = ({ processor, memory, temperature, uptime }: Condition & { readonly uptime: number }): string =>
	`<b:doing><b:processor>${processor}</b:processor><b:memory>${memory}</b:memory><b:celsius>${temperature}</b:celsius><b:seconds-up>${uptime}</b:seconds-up></b:doing>`;

export const MAKERS: Readonly<Record<string, Maker>> = {
	veltrane: {
		format: INDENTED,
		osName: 'veltrane-branch',
		vouches: true,
		savesApart: true,
		newWord: 'time-server',
		ordered: FILTER,
		answer: answering([
			[/^print release$/, ({ version }) => `release: ${version}\nbuilt for branch routers\n`],
			[
				/^print chassis$/,
				({ serial, network: { self } }) =>
					`chassis: ${serial}\nbase address: ${self.mac}\nknown as: ${self.name}\nmemory: ${self.memory}\nmodules: ${self.modules}\n`
			],
			[
				/^print configuration saved$/,
				({ saved, configuration }) => printed(saved ?? configuration, INDENTED, FILTER)
			],
			[
				/^save configuration$/,
				({ save }) => {
					save?.();
					return '';
				}
			],
			[/^print configuration running$/, ({ configuration }) => printed(configuration, INDENTED, FILTER)],
			[
				/^print reach (\S+)$/,
				({ network }, host) => {
					const { sent, received, milliseconds } = network.reach(host);
					return received > 0
						? `${host} answers, ${received} of ${sent}, ${milliseconds} ms\n`
						: `${host} is silent, 0 of ${sent}\n`;
				}
			],
			[
				/^print path (\S+)$/,
				({ network }, host) =>
					lines(network.reach(host).hops, ({ address, milliseconds }, index) =>
						address === null ? `${index + 1} no answer` : `${index + 1} ${address} ${milliseconds} ms`
					)
			],
			[
				/^print tunnels$/,
				({ network }) =>
					lines(network.tunnels(), ({ name, isUp, peer }) => `${name} ${isUp ? 'up' : 'down'} peer ${peer}`)
			],
			[
				/^print routes$/,
				({ network }) =>
					lines(
						network.routes(),
						({ prefix, via, next }) => `${prefix} by ${via}${next === null ? '' : ` to ${next}`}`
					)
			],
			[
				/^print neighbours$/,
				({ network }) =>
					lines(
						network.neighbours(),
						({ port, chassis, neighbourPort, name, description, address }) =>
							`${port}: ${chassis} at ${JSON.stringify(neighbourPort)}, ${JSON.stringify(name)}, ${JSON.stringify(description)}${address && ` by ${address}`}`
					)
			],
			[
				/^print seen$/,
				({ network }) =>
					lines(
						network.learnt(),
						({ port, mac, address }) => `${mac} at ${port}${address === null ? '' : ` as ${address}`}`
					)
			],
			[
				/^print ports$/,
				(device) =>
					lines(
						ports(device),
						({ port, isUp, speed, givesPower, received, sent, errors }) =>
							`${port} ${isUp ? `up ${speed}` : 'down'}${givesPower ? ' feeding' : ''} in ${received} out ${sent} bad ${errors}`
					)
			],
			[
				/^print health$/,
				(device) => {
					const { processor, memory, temperature, signal, uptime } = condition(device);
					return `processor: ${processor} of 100\nmemory: ${memory} of 100\nwarmth: ${temperature} C\nmodem: ${signal} dBm\nrunning for: ${uptime} s\n`;
				}
			],
			[
				/^print clients$/,
				({ network }) =>
					lines(
						network.clients(),
						({ name, first, last, used, free }) => `${name} ${first} to ${last}: ${used} given, ${free} left`
					)
			],
			[/^print name (\S+)$/, ({ network }, name) => `${name} is ${network.resolve(name) ?? 'not known'}\n`],
			[/^print clock$/, ({ network }) => `${network.clock().toISOString()}\n`],
			...changing({
				load: /^load configuration$/,
				edit: [/^edit loaded$/, VELTRANE_EDITOR],
				use: /^use loaded for (\d+)$/,
				keep: /^keep used$/,
				back: /^return used$/,
				forget: /^forget loaded$/,
				restart: /^restart chassis$/,
				fetch: /^fetch release (?<release>\S+) hash (?<hash>[0-9a-f]{64}) from (?<address>\S+)$/,
				fetched: [
					/^print release fetched$/,
					(one) =>
						one.state === 'none'
							? 'fetched: nothing'
							: one.state === 'fetching'
								? `fetched: ${one.version} on its way, ${one.percent} of 100`
								: one.state === 'ready'
									? `fetched: ${one.version} whole`
									: `fetched: ${one.version} failed: ${one.words}`
				],
				install: /^start release fetched$/,
				drop: /^forget release fetched$/
			})
		]),
		home: (tree) =>
			homeOf(
				find(tree, 'dial-home'),
				find(tree, 'caretaker'),
				find(tree, 'caretaker')?.value,
				'public-key',
				accountsOf(all(tree, 'account'))
			),
		accounts: (tree) => accountsOf(all(tree, 'account')),
		logging: (tree) => ({ name: find(tree, 'hostname')?.value, server: find(tree, 'log-to')?.value })
	},
	okapira: {
		format: BRACED,
		osName: 'okapira-og',
		vouches: true,
		newWord: 'clock',
		ordered: RULES,
		answer: answering([
			[/^tell release$/, ({ version }) => `running release ${version};\n`],
			[
				/^tell chassis$/,
				({ serial, network: { self } }) =>
					`serial number ${serial};\nfirst address ${self.mac};\nname ${self.name};\nmemory ${self.memory};\nmodules ${self.modules};\n`
			],
			[/^tell configuration$/, ({ configuration }) => printed(configuration, BRACED, RULES)],
			[
				/^tell reach (\S+)$/,
				({ network }, host) => {
					const { sent, received, milliseconds } = network.reach(host);
					return `reach ${host} ${received > 0 ? `yes ${milliseconds} ms` : 'no'} lost ${sent - received}/${sent};\n`;
				}
			],
			[
				/^tell path (\S+)$/,
				({ network }, host) =>
					lines(network.reach(host).hops, ({ address, milliseconds }) =>
						address === null ? 'hop nobody;' : `hop ${address} ${milliseconds} ms;`
					)
			],
			[
				/^tell links$/,
				({ network }) =>
					lines(
						network.tunnels(),
						({ name, isUp, peer }) => `link ${name} ${isUp ? 'joined' : 'parted'} ${peer};`
					)
			],
			[
				/^tell ways$/,
				({ network }) =>
					lines(
						network.routes(),
						({ prefix, via, next }) =>
							`way ${prefix === '0.0.0.0/0' ? 'default' : prefix} ${via} ${next ?? 'here'};`
					)
			],
			[
				/^tell neighbours$/,
				({ network }) =>
					lines(
						network.neighbours(),
						({ port, chassis, neighbourPort, name, description, address }) =>
							`neighbour ${port} { chassis ${chassis}; wire ${JSON.stringify(neighbourPort)}; name ${JSON.stringify(name)}; says ${JSON.stringify(description)}; ${address && `managed ${address}; `}}`
					)
			],
			[
				/^tell stations$/,
				({ network }) =>
					lines(network.learnt(), ({ port, mac, address }) => `station ${mac} ${port} ${address ?? 'none'};`)
			],
			[
				/^tell wires$/,
				(device) =>
					lines(
						ports(device),
						({ port, isUp, speed, givesPower, received, sent, errors }) =>
							`wire ${port} ${isUp ? 'alive' : 'dead'} ${speed} ${givesPower ? 'fed' : 'plain'} in ${small(received)} out ${small(sent)} wrong ${errors};`
					)
			],
			[
				/^tell condition$/,
				(device) => {
					const { processor, memory, temperature, uptime } = condition(device);
					return `condition load ${processor}% store ${memory}% heat ${temperature}C age ${uptime}s;\n`;
				}
			],
			[
				/^tell pools$/,
				({ network }) =>
					lines(
						network.clients(),
						({ name, first, last, used, free }) => `pool ${name} ${first} ${last} taken ${used} free ${free};`
					)
			],
			[
				/^tell address of (\S+)$/,
				({ network }, name) => `address of ${name} ${network.resolve(name) ?? 'unknown'};\n`
			],
			[/^tell clock$/, ({ network }) => `clock ${network.clock().toISOString()};\n`],
			...changing({
				load: /^stage configuration$/,
				edit: [/^stage changes$/, OKAPIRA_EDITOR],
				use: /^switch to staged (\d+)s$/,
				keep: /^stay$/,
				back: /^switch back$/,
				forget: /^unstage$/,
				restart: /^restart$/,
				fetch: /^bring release (?<release>\S+) sum (?<hash>[0-9a-f]{64}) by (?<address>\S+)$/,
				fetched: [
					/^tell brought$/,
					(one) =>
						one.state === 'none'
							? 'brought none;'
							: one.state === 'fetching'
								? `brought ${one.version} part ${one.percent};`
								: one.state === 'ready'
									? `brought ${one.version} all;`
									: `brought ${one.version} broken ${JSON.stringify(one.words)};`
				],
				install: /^switch release$/,
				drop: /^leave brought$/
			})
		]),
		home: (tree) =>
			homeOf(
				find(tree, 'beacon'),
				find(tree, 'keeper'),
				find(tree, 'keeper')?.value,
				'key',
				accountsOf(all(tree, 'login'))
			),
		accounts: (tree) => accountsOf(all(tree, 'login')),
		logging: (tree) => ({
			name: valueOf(find(tree, 'identity'), 'name'),
			server: valueOf(find(tree, 'journal'), 'server')
		})
	},
	lumenfold: {
		format: OBJECT,
		osName: 'lumenfold-air',
		vouches: true,
		newWord: 'zone',
		ordered: NONE,
		answer: answering([
			[/^get \/system\/release$/, ({ version }) => `${JSON.stringify(version)}\n`],
			[/^get \/system\/serial$/, ({ serial }) => `${JSON.stringify(serial)}\n`],
			[/^get \/system$/, ({ serial, network: { self } }) => json({ serial, ...self })],
			[/^get \/configuration$/, ({ configuration }) => printed(configuration, OBJECT, NONE)],
			[
				/^get \/reach\/(\S+)$/,
				({ network }, host) => {
					const { sent, received, milliseconds } = network.reach(host);
					return json({ reached: received > 0, sent, received, milliseconds });
				}
			],
			[/^get \/neighbours$/, ({ network }) => json({ neighbours: network.neighbours() })],
			[/^get \/ports$/, (device) => json({ ports: ports(device) })],
			[/^get \/health$/, (device) => json(condition(device))],
			[/^get \/name\/(\S+)$/, ({ network }, name) => json({ name, address: network.resolve(name) ?? '' })],
			[/^get \/clock$/, ({ network }) => json({ now: network.clock().toISOString() })],
			...changing({
				load: /^put \/configuration\/next$/,
				use: /^post \/configuration\/next\/try\?seconds=(\d+)$/,
				keep: /^post \/configuration\/keep$/,
				back: /^post \/configuration\/revert$/,
				forget: /^delete \/configuration\/next$/,
				restart: /^post \/system\/restart$/,
				fetch:
					/^put \/system\/release\/next\?release=(?<release>[^&\s]+)&hash=(?<hash>[0-9a-f]{64})&from=(?<address>\S+)$/,
				fetched: [/^get \/system\/release\/next$/, (one) => JSON.stringify(one)],
				install: /^post \/system\/release\/next\/start$/,
				drop: /^delete \/system\/release\/next$/
			})
		]),
		home: (tree) => {
			const keeper = find(tree, 'keeper');
			return homeOf(find(tree, 'home'), keeper, keeper && find(keeper.inside, 'user')?.value, 'key');
		},
		accounts: () => [],
		logging: (tree) => ({
			name: unquoted(find(tree, 'name')?.value ?? '') || undefined,
			server: unquoted(find(tree, 'log')?.value ?? '') || undefined
		})
	},
	brackwater: {
		format: MARKUP,
		osName: 'brackwater-bw',
		newWord: 'interfaces',
		ordered: NONE,
		// It has no commands
		answer: () => null,
		netconf: (device) => {
			const { serial, version, configuration, changes, images, restart, network } = device;
			return {
				changes,
				images,
				restart,
				configuration: () => printed(configuration, MARKUP, NONE),
				state: () =>
					`<b:switch-state xmlns:b="urn:brackwater:state"><b:serial>${markedUp(serial)}</b:serial>` +
					`<b:mac>${network.self.mac}</b:mac><b:name>${markedUp(network.self.name)}</b:name>` +
					`<b:memory>${network.self.memory}</b:memory><b:modules>${network.self.modules}</b:modules>` +
					`<b:release>${markedUp(version)}</b:release>` +
					`<b:clock>${network.clock().toISOString()}</b:clock>` +
					fetchedState(images.fetched) +
					doing(condition(device)) +
					network
						.neighbours()
						.map(
							({ port, chassis, neighbourPort, name, description, address }) =>
								`<b:neighbour><b:port>${port}</b:port><b:chassis>${chassis}</b:chassis><b:far-port>${markedUp(neighbourPort)}</b:far-port>` +
								`<b:name>${markedUp(name)}</b:name><b:description>${markedUp(description)}</b:description>` +
								(address && `<b:address>${markedUp(address)}</b:address>`) +
								'</b:neighbour>'
						)
						.join('') +
					network
						.learnt()
						.map(
							({ port, mac: seen, address }) =>
								`<b:station><b:port>${port}</b:port><b:mac>${seen}</b:mac>` +
								(address === null ? '' : `<b:address>${address}</b:address>`) +
								'</b:station>'
						)
						.join('') +
					ports(device)
						.map(
							({ port, isUp, speed, givesPower, received, sent, errors }) =>
								`<b:port-state><b:port>${port}</b:port><b:up>${isUp}</b:up><b:speed>${speed}</b:speed><b:power>${givesPower}</b:power>` +
								`<b:octets-in>${received}</b:octets-in><b:octets-out>${sent}</b:octets-out><b:bad>${errors}</b:bad></b:port-state>`
						)
						.join('') +
					'</b:switch-state>'
			};
		},
		home: (tree) => {
			const management = find(tree, 'management');
			return management
				? homeOf(find(management.inside, 'home'), management, find(management.inside, 'user')?.value, 'key')
				: null;
		},
		accounts: (tree) =>
			all(tree, 'system')
				.flatMap(({ inside }) => all(inside, 'authentication'))
				.flatMap(({ inside }) => all(inside, 'user'))
				.map(({ inside }) => ({
					user: said(inside, 'name'),
					// RFC 7317: what begins so is not hashed
					password: said(inside, 'password').replace(/^\$0\$/, '')
				})),
		logging: (tree) => ({
			name: valueOf(find(tree, 'system'), 'hostname'),
			server: valueOf(find(tree, 'log'), 'server')
		})
	}
};
