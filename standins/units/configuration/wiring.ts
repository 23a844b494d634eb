import { blockOf, holds } from '../../network/addresses';
import { BRACED, INDENTED, MARKUP, OBJECT, type Statement } from './configuration';

/**
 * What a unit's configuration makes of it in its network, read from each maker's own words; see the manual pages beside
 * this. Two units understand each other only by what stands there.
 */
export interface Tunnel {
	readonly name: string;
	/** Where it dials; null when it waits to be dialled. */
	readonly farEnd: string | null;
	readonly secret: string;
	/** Its own address in it, with the length. */
	readonly own: string;
	/** What it reaches through it, as prefixes. */
	readonly reach: readonly string[];
}
export interface Lan {
	readonly name: string;
	/** Its own address in it, with the length. */
	readonly address: string;
	/** The range from which it gives addresses. */
	readonly range: readonly [first: string, last: string] | null;
	/** Where these stand in its configuration. */
	readonly lines: { readonly address: number; readonly range: number };
}
export interface Wiring {
	readonly hostname: string | null;
	/** Where it says that it stands. */
	readonly place: string | null;
	/** Its fixed address at the provider, alone. */
	readonly outside: string | null;
	/** That address leads nowhere: the way out does not lie in its network. */
	readonly isShut: boolean;
	readonly lans: readonly Lan[];
	readonly tunnels: readonly Tunnel[];
	/** Ports that give power because somebody said so. */
	readonly feeding: ReadonlySet<string>;
}

const unquoted = (text: string): string => (text.startsWith('"') ? (JSON.parse(text) as string) : text);
const all = (statements: readonly Statement[], word: string) => statements.filter((one) => one.word === word);
const said = (statements: readonly Statement[] | undefined, word: string): string | null => {
	const found = statements?.find((one) => one.word === word);
	return found ? unquoted(found.value) : null;
};

/** The words in which a router's configuration says the same things. */
interface Words {
	readonly port: string;
	readonly uplink: string;
	readonly segment: string;
	readonly address: string;
	/** The two ends of a range, out of what stands behind its word. */
	readonly range: readonly [word: string, form: RegExp];
	readonly way: readonly [word: string, form: RegExp];
	readonly tunnel: string;
	readonly farEnd: string;
	readonly reach: string;
}
const VELTRANE: Words = {
	port: 'port',
	uplink: 'wan0',
	segment: 'segment',
	address: 'own-address',
	range: ['hand-out', /^(\S+) to (\S+)$/],
	way: ['route', /^default via (\S+)$/],
	tunnel: 'tunnel',
	farEnd: 'far-end',
	reach: 'reach'
};
const OKAPIRA: Words = {
	port: 'wire',
	uplink: 'up0',
	segment: 'lane',
	address: 'address',
	range: ['pool', /^(\S+) (\S+)$/],
	way: ['way', /^default through (\S+)$/],
	tunnel: 'link',
	farEnd: 'remote',
	reach: 'carries'
};

function routed(tree: readonly Statement[], words: Words, named: Pick<Wiring, 'hostname' | 'place'>): Wiring {
	const lanOf = ({ value, inside }: Statement): readonly Lan[] => {
		const address = said(inside, words.address);
		if (address === null || value === words.uplink) return [];
		const ends = words.range[1].exec(said(inside, words.range[0]) ?? '');
		const lineOf = (word: string) => inside.find((one) => one.word === word)?.line ?? 0;
		return [
			{
				name: value,
				address,
				range: ends ? [ends[1]!, ends[2]!] : null,
				lines: { address: lineOf(words.address), range: lineOf(words.range[0]) }
			}
		];
	};
	const uplink = all(tree, words.port).find(({ value }) => value === words.uplink);
	const fixed = said(uplink?.inside, words.address);
	const way = all(tree, words.way[0]).flatMap(({ value }) => words.way[1].exec(value)?.[1] ?? [])[0];
	return {
		...named,
		outside: fixed?.split('/')[0] ?? null,
		isShut: fixed !== null && (way === undefined || !holds(blockOf(fixed), way)),
		lans: [...all(tree, words.port), ...all(tree, words.segment)].flatMap(lanOf),
		tunnels: all(tree, words.tunnel).map(({ value, inside }) => ({
			name: value,
			farEnd: said(inside, words.farEnd),
			secret: said(inside, 'secret') ?? '',
			own: said(inside, words.address) ?? '',
			reach: all(inside, words.reach).map((one) => one.value)
		})),
		feeding: new Set()
	};
}

const PLAIN = { outside: null, isShut: false, lans: [], tunnels: [] } as const;

const READERS: Readonly<Record<string, (text: string) => Wiring>> = {
	veltrane: (text) => {
		const tree = INDENTED.read(text);
		return routed(tree, VELTRANE, { hostname: said(tree, 'hostname'), place: said(tree, 'location') });
	},
	okapira: (text) => {
		const tree = BRACED.read(text);
		const identity = all(tree, 'identity')[0]?.inside;
		return routed(tree, OKAPIRA, { hostname: said(identity, 'name'), place: said(identity, 'place') });
	},
	lumenfold: (text) => {
		const tree = OBJECT.read(text);
		return { ...PLAIN, hostname: said(tree, 'name'), place: said(tree, 'place'), feeding: new Set() };
	},
	brackwater: (text) => {
		const tree = MARKUP.read(text);
		const system = all(tree, 'system')[0]?.inside;
		const ports = all(tree, 'interfaces').flatMap(({ inside }) => all(inside, 'interface'));
		const feeding = ports.flatMap(({ inside }) =>
			said(inside, 'power') === 'true' ? [said(inside, 'name') ?? ''] : []
		);
		return {
			...PLAIN,
			hostname: said(system, 'hostname'),
			place: said(system, 'location'),
			feeding: new Set(feeding)
		};
	}
};

/** Reads a configuration that its unit took; null without one. */
export const wiringOf = (maker: string, configuration: string | null): Wiring | null =>
	configuration === null ? null : READERS[maker]!(configuration);

/** The ports of a model: the one that leads outside or to the gateway, and the others in their order. */
export interface Ports {
	readonly uplink: string;
	readonly others: readonly string[];
	/** Whether a port gives power to what is plugged into it. */
	readonly feeds: (port: string, wiring: Wiring | null) => boolean;
	/** What it is in its network. */
	readonly kind: 'router' | 'switch' | 'access point';
	/** How many bytes of an image its flash takes. */
	readonly room: number;
}
const MIB = 1024 * 1024;
const counted = (word: string, from: number, to: number) =>
	Array.from({ length: to - from + 1 }, (_, index) => `${word}${from + index}`);
const router = (uplink: string, word: string, last: number, room = 16): Ports => ({
	uplink,
	others: counted(word, 0, last),
	// The first is the local network's; the others feed access points
	feeds: (port) => port !== `${word}0`,
	kind: 'router',
	room: room * MIB
});
const accessPoint: Ports = {
	uplink: 'eth0',
	others: ['eth1'],
	feeds: () => false,
	kind: 'access point',
	room: 16 * MIB
};
const branchSwitch = (last: number): Ports => ({
	uplink: 'port1',
	others: counted('port', 2, last),
	feeds: (port, wiring) => wiring?.feeding.has(port) ?? false,
	kind: 'switch',
	room: 8 * MIB
});
const MODELS: Readonly<Record<string, Ports>> = {
	'VT-120': router('wan0', 'lan', 2),
	'VT-340': router('wan0', 'lan', 7, 64),
	'OG-2': router('up0', 'in', 2, 32),
	'OG-8': router('up0', 'in', 3, 32),
	'LF-6': accessPoint,
	'LF-6X': accessPoint,
	'BW-8P': branchSwitch(8),
	'BW-24P': branchSwitch(24)
};
export const portsOf = (model: string): Ports => MODELS[model] ?? router('wan0', 'lan', 2);
