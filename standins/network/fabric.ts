import { createHash } from 'node:crypto';
import { FACTORY_TIME, type Fault } from '../units/flash';
import { portsOf, type Tunnel, type Wiring } from '../units/wiring';
import {
	bare,
	blockOf,
	countBetween,
	holds,
	isAddress,
	isPrivate,
	networkText,
	sameBlock
} from './addresses';

/**
 * The network between the units: one world, in which nothing is so because it is told so. Cables say who is plugged into
 * what; a tunnel is up when both ends' configurations agree and both have power and a way out; a packet goes where the
 * configurations send it, and so does its answer.
 */
export interface Station {
	readonly label: {
		readonly serial: string;
		readonly mac: string;
		readonly model: string;
		readonly maker: string;
		/** The address at its provider; whoever `listens` may be reached there. */
		readonly line?: string | undefined;
		readonly listens?: boolean | undefined;
		/** What stands beside it and is no unit of this network: it is heard all the same. */
		readonly beside?: readonly Neighbour[] | undefined;
	};
	/** Switched on, and fed where it is fed over its cable. */
	readonly isOn: boolean;
	readonly version: string;
	readonly wiring: Wiring | null;
	readonly cable: 'uplink' | 'lan' | 'none';
	readonly faults: ReadonlySet<Fault>;
	/** Where somebody carried it; else it stands where its configuration says. */
	readonly carriedTo: string | null;
	/** Into which port of what its cable is plugged, where somebody moved it. */
	readonly plug: Plug | null;
	/** What somebody put into its slots. */
	readonly modules?: readonly string[];
}
export interface Plug {
	readonly serial: string;
	readonly port: string;
}
export interface Neighbour {
	readonly port: string;
	readonly chassis: string;
	readonly neighbourPort: string;
	readonly name: string;
	readonly description: string;
	/** By which it is managed; empty when it does not say. */
	readonly address: string;
}
/** A MAC address that was learnt: at a port, or with an address of a network. */
export interface Learnt {
	readonly mac: string;
	readonly port: string;
	/** Null where only the port is known. */
	readonly address: string | null;
}
export interface PortState {
	readonly port: string;
	readonly isUp: boolean;
	/** In Mbit/s; 0 while it is down. */
	readonly speed: number;
	readonly givesPower: boolean;
}
export interface TunnelState {
	readonly name: string;
	readonly isUp: boolean;
	/** The other end's address in it. */
	readonly peer: string;
}
export interface Route {
	readonly prefix: string;
	readonly via: string;
	readonly next: string | null;
}
export interface Echoes {
	readonly sent: number;
	readonly received: number;
	readonly milliseconds: number;
	readonly hops: readonly { readonly address: string | null; readonly milliseconds: number }[];
}

/** What a unit's command line can say of the network it stands in. */
export interface Surroundings {
	/** By which its neighbours know it, and as which; and what it is made of. */
	readonly self: {
		readonly mac: string;
		readonly name: string;
		readonly memory: string;
		readonly modules: string;
	};
	readonly reach: (host: string) => Echoes;
	readonly resolve: (name: string) => string | null;
	readonly tunnels: () => readonly TunnelState[];
	readonly routes: () => readonly Route[];
	readonly neighbours: () => readonly Neighbour[];
	readonly ports: () => readonly PortState[];
	readonly clients: () => readonly LanUse[];
	/** Which MAC addresses it has seen, and at which port. */
	readonly learnt: () => readonly Learnt[];
	readonly clock: () => Date;
}
export interface LanUse {
	readonly name: string;
	readonly first: string;
	readonly last: string;
	readonly used: number;
	readonly free: number;
}

const SENT = 10;
const MOST_HOPS = 8;
/** So long two ends take to agree, on a real pair of devices. */
const AGREEING_MS = 8_000;
const hashed = (text: string): number => createHash('sha256').update(text).digest().readUInt16BE(0);

export class Fabric<Own extends Station = Station> {
	/** Since when two ends agree, by their tunnel's addresses. */
	readonly #since = new Map<string, number>();

	constructor(
		private readonly all: () => Iterable<Own>,
		private readonly pace: number,
		private readonly now: () => number = Date.now
	) {}

	/** The network as one unit sees it. */
	seenFrom = (one: Station): Surroundings => ({
		self: {
			mac: one.label.mac,
			name: nameOf(one),
			memory: '1024 MB',
			modules: one.modules?.join(', ') || 'none'
		},
		reach: (host) => this.reach(one, host),
		resolve: (name) => this.resolve(one, name),
		tunnels: () => this.tunnels(one),
		routes: () => this.routes(one),
		neighbours: () => this.neighbours(one),
		ports: () => this.ports(one),
		clients: () => this.clients(one),
		learnt: () => this.learnt(one),
		clock: () => new Date(one.faults.has('wrong-clock') ? FACTORY_TIME : this.now())
	});

	placeOf = (one: Station): string | null => one.carriedTo ?? one.wiring?.place ?? null;

	/** Those that stand in one place, in order of their names. */
	#beside(one: Station): readonly Own[] {
		const place = this.placeOf(one);
		if (place === null) return [];
		const name = (other: Station) => other.wiring?.hostname ?? other.label.serial;
		return [...this.all()]
			.filter((other) => this.placeOf(other) === place)
			.sort((a, b) => (name(a) < name(b) ? -1 : 1));
	}

	/** Into what a unit's cable is plugged: a port of another, the provider's socket (`outside`), or nothing. */
	plugOf(one: Station): { readonly station: Own; readonly port: string } | 'outside' | null {
		if (one.cable === 'none') return null;
		const { kind } = portsOf(one.label.model);
		if (kind === 'router') return one.cable === 'uplink' ? 'outside' : null;
		const beside = this.#beside(one);
		if (one.plug) {
			const station = beside.find(({ label }) => label.serial === one.plug!.serial);
			return station ? { station, port: one.plug.port } : null;
		}
		return this.#usualPlugs(beside).get(one.label.serial) ?? 'outside';
	}

	/** Where people usually plug things: switches into the router, access points into the first ports that feed them. */
	#usualPlugs(beside: readonly Own[]): ReadonlyMap<string, { readonly station: Own; readonly port: string }> {
		const ofKind = (wanted: string) =>
			beside.filter((other) => portsOf(other.label.model).kind === wanted && other.cable !== 'none');
		const taken = new Set(beside.flatMap(({ plug }) => (plug ? [`${plug.serial} ${plug.port}`] : [])));
		const plugs = new Map<string, { readonly station: Own; readonly port: string }>();
		const give = (one: Own, among: readonly Own[], isFit: (station: Own, port: string) => boolean) => {
			for (const station of among)
				for (const port of portsOf(station.label.model).others) {
					const key = `${station.label.serial} ${port}`;
					if (taken.has(key) || !isFit(station, port)) continue;
					taken.add(key);
					return void plugs.set(one.label.serial, { station, port });
				}
		};
		const feeds = (station: Own, port: string) => portsOf(station.label.model).feeds(port, station.wiring);
		for (const one of ofKind('switch')) if (!one.plug) give(one, ofKind('router'), () => true);
		for (const one of ofKind('access point'))
			if (!one.plug) give(one, [...ofKind('switch'), ...ofKind('router')], feeds);
		return plugs;
	}

	/** Whether what is fed over its cable is fed. */
	isFed(one: Station): boolean {
		if (portsOf(one.label.model).kind !== 'access point') return true;
		const plug = this.plugOf(one);
		if (plug === 'outside') return true;
		if (plug === null) return false;
		return plug.station.isOn && portsOf(plug.station.label.model).feeds(plug.port, plug.station.wiring);
	}

	/** Whether a unit's packets come out of its site at all. */
	hasWayOut(one: Station, seen: ReadonlySet<string> = new Set()): boolean {
		if (!one.isOn || one.faults.has('cut-fibre') || seen.has(one.label.serial)) return false;
		if (one.wiring?.isShut) return false;
		const plug = this.plugOf(one);
		return (
			plug === 'outside' ||
			(plug !== null && this.hasWayOut(plug.station, new Set([...seen, one.label.serial])))
		);
	}

	#canTunnel = (one: Station): boolean =>
		this.hasWayOut(one) && !one.faults.has('blocked-tunnels') && !one.faults.has('far-side-silent');

	/** The other end of a tunnel, while both agree. */
	#otherEnd(one: Station, tunnel: Tunnel): { readonly station: Own; readonly tunnel: Tunnel } | null {
		if (!this.#canTunnel(one) || one.faults.has('lost-secret')) return null;
		for (const station of this.all()) {
			if (station.label.serial === one.label.serial) continue;
			for (const theirs of station.wiring?.tunnels ?? []) {
				if (!sameBlock(tunnel.own, theirs.own) || tunnel.own === theirs.own) continue;
				if (tunnel.secret !== theirs.secret || station.faults.has('lost-secret')) continue;
				const dials =
					(tunnel.farEnd !== null && tunnel.farEnd === station.wiring!.outside) ||
					(theirs.farEnd !== null && theirs.farEnd === one.wiring?.outside);
				if (dials && this.#canTunnel(station)) return { station, tunnel: theirs };
			}
		}
		return null;
	}

	/** The same, once it has been so for as long as two ends take. */
	#upTo(one: Station, tunnel: Tunnel): { readonly station: Own; readonly tunnel: Tunnel } | null {
		const other = this.#otherEnd(one, tunnel);
		const key = `${networkText(tunnel.own)} ${tunnel.secret}`;
		if (!other) {
			this.#since.delete(key);
			return null;
		}
		const since = this.#since.get(key) ?? this.now();
		this.#since.set(key, since);
		return this.now() - since >= AGREEING_MS * this.pace ? other : null;
	}

	/** Looks at every tunnel, so that those which agree begin to count. */
	look(): void {
		for (const one of this.all()) for (const tunnel of one.wiring?.tunnels ?? []) this.#upTo(one, tunnel);
	}

	tunnels(one: Station): readonly TunnelState[] {
		return (one.wiring?.tunnels ?? []).map((tunnel) => ({
			name: tunnel.name,
			isUp: this.#upTo(one, tunnel) !== null,
			peer: peerOf(tunnel)
		}));
	}

	routes(one: Station): readonly Route[] {
		const { lans = [], tunnels = [] } = one.wiring ?? {};
		return [
			...lans.map(({ name, address }) => ({ prefix: networkText(address), via: name, next: null })),
			...tunnels.flatMap((tunnel) =>
				this.#upTo(one, tunnel)
					? tunnel.reach.map((prefix) => ({ prefix, via: tunnel.name, next: peerOf(tunnel) }))
					: []
			),
			...(this.hasWayOut(one)
				? [{ prefix: '0.0.0.0/0', via: portsOf(one.label.model).uplink, next: null }]
				: [])
		];
	}

	/** The next one on the way to an address, with the address by which it is entered; what a packet ends at. */
	#step(at: Station, to: string): { readonly next: Own; readonly entered: string } | 'arrived' | 'lost' {
		const { lans = [], tunnels = [], outside = null } = at.wiring ?? {};
		const own = [
			...lans.map(({ address }) => bare(address)),
			...tunnels.map((one) => bare(one.own)),
			outside
		];
		if (own.includes(to)) return 'arrived';
		const best = [
			...lans.map((lan) => ({ length: blockOf(lan.address).length, lan, tunnel: null, block: lan.address })),
			...tunnels.flatMap((tunnel) =>
				[...tunnel.reach, tunnel.own].map((block) => ({
					length: blockOf(block).length,
					lan: null,
					tunnel,
					block
				}))
			)
		]
			.filter(({ block, tunnel }) => holds(blockOf(block), to) && (!tunnel || this.#upTo(at, tunnel)))
			.sort((a, b) => b.length - a.length)[0];
		if (best?.lan) return 'lost';
		if (best?.tunnel) {
			const other = this.#upTo(at, best.tunnel)!;
			// It says that its tunnel is up, and forwards nothing
			return at.faults.has('forwards-nothing') || other.station.faults.has('forwards-nothing')
				? 'lost'
				: { next: other.station, entered: bare(other.tunnel.own) };
		}
		const plug = this.plugOf(at);
		if (plug !== 'outside') {
			if (plug === null || !plug.station.isOn) return 'lost';
			const [lan] = plug.station.wiring?.lans ?? [];
			return { next: plug.station, entered: lan ? bare(lan.address) : to };
		}
		if (!this.hasWayOut(at) || at.faults.has('far-side-silent') || isPrivate(to)) return 'lost';
		const there = [...this.all()].find((one) => one.wiring?.outside === to);
		// The internet's own servers answer; a unit does while it can
		if (!there) return 'arrived';
		return this.hasWayOut(there) ? { next: there, entered: to } : 'lost';
	}

	#way(
		from: Station,
		to: string
	): {
		readonly stations: readonly Station[];
		readonly entered: readonly string[];
		readonly arrived: boolean;
	} {
		const [stations, entered]: [Station[], string[]] = [[from], []];
		for (let at = from; stations.length <= MOST_HOPS;) {
			const step = this.#step(at, to);
			if (step === 'arrived' || step === 'lost') return { stations, entered, arrived: step === 'arrived' };
			stations.push((at = step.next));
			entered.push(step.entered);
		}
		return { stations, entered, arrived: false };
	}

	/** Asks an address (or a name) for echoes, from the unit's own local network. */
	reach(from: Station, host: string): Echoes {
		const to = isAddress(host) ? host : this.resolve(from, host);
		if (to === null || !from.isOn) return { sent: SENT, received: 0, milliseconds: 0, hops: [] };
		const way = this.#way(from, to);
		const last = way.stations.at(-1)!;
		const source = from.wiring?.lans[0]?.address;
		const isAnswered =
			way.arrived &&
			// What came out of the tunnels into the internet is answered there
			(!source || last === from || !isPrivate(to) || this.#way(last, bare(source)).stations.at(-1) === from);
		const losses = [...way.stations].flatMap((one) => lossesAt(one));
		const share = losses.reduce((left, loss) => left * (1 - loss), 1);
		const spent = (count: number) =>
			way.stations.slice(0, count + 1).reduce((sum, one) => sum + (hashed(one.label.serial) % 9) + 3, 0);
		const hops = way.entered.map((address, index) => ({ address, milliseconds: spent(index + 1) }));
		const milliseconds = spent(way.stations.length - 1);
		const received = isAnswered ? Math.round(SENT * share) : 0;
		const end =
			way.arrived && hops.at(-1)?.address !== to && last !== from ? [{ address: to, milliseconds }] : [];
		return {
			sent: SENT,
			received,
			milliseconds,
			hops: isAnswered
				? [...hops, ...end, ...(hops.length + end.length === 0 ? [{ address: to, milliseconds }] : [])]
				: [...hops, { address: null, milliseconds: 0 }]
		};
	}

	/** Names of the made-up firm and of what lies outside. */
	resolve(from: Station, name: string): string | null {
		if (!this.hasWayOut(from) || from.faults.has('no-name') || from.faults.has('far-side-silent'))
			return null;
		return /(?:^|\.)example$/.test(name) ? `192.0.2.${(hashed(name) % 200) + 20}` : null;
	}

	/** What a unit hears from the other ends of its cables (LLDP). */
	neighbours(one: Station): readonly Neighbour[] {
		if (!one.isOn) return [];
		const heard = (other: Station, port: string, neighbourPort: string): readonly Neighbour[] =>
			other.isOn && !other.faults.has('mute')
				? [
						{
							port,
							chassis: other.label.mac,
							neighbourPort,
							name: nameOf(other),
							description: `${other.label.model}, release ${other.version}`,
							address: other.label.listens ? (other.label.line ?? '') : ''
						}
					]
				: [];
		const own = this.plugOf(one);
		const upward =
			own !== null && own !== 'outside' ? heard(own.station, portsOf(one.label.model).uplink, own.port) : [];
		const downward = this.#beside(one).flatMap((other) => {
			const plug = this.plugOf(other);
			return plug !== null && plug !== 'outside' && plug.station.label.serial === one.label.serial
				? heard(other, plug.port, portsOf(other.label.model).uplink)
				: [];
		});
		const { others } = portsOf(one.label.model);
		const [first, last] = [others[0]!, others.at(-1)!];
		const looped = one.faults.has('loop') ? [...heard(one, first, last), ...heard(one, last, first)] : [];
		const strange: readonly Neighbour[] = one.faults.has('stranger')
			? [
					{
						port: last,
						chassis: `06:${one.label.mac.slice(3)}`,
						neighbourPort: 'port 1',
						name: 'back-room',
						description: 'a small switch that somebody brought',
						address: ''
					}
				]
			: [];
		return [...upward, ...downward, ...looped, ...strange, ...(one.label.beside ?? [])];
	}

	ports(one: Station): readonly PortState[] {
		const { uplink, others, feeds } = portsOf(one.label.model);
		const plugged = new Set(this.neighbours(one).map(({ port }) => port));
		const own = this.plugOf(one);
		const isUp = (port: string) =>
			port === uplink
				? own !== null && !(own === 'outside' && one.faults.has('cut-fibre'))
				: plugged.has(port) || (port === others[0] && (one.wiring?.lans.length ?? 0) > 0);
		return [uplink, ...others].map((port) => ({
			port,
			isUp: isUp(port),
			speed: isUp(port) ? (port === uplink && one.faults.has('bad-cable') ? 10 : 1000) : 0,
			givesPower: feeds(port, one.wiring) && plugged.has(port)
		}));
	}

	/** Its neighbours, and the clients that have an address from it: each always the same. */
	learnt(one: Station): readonly Learnt[] {
		const clients = this.clients(one).flatMap(({ name, first, used }) => {
			const shown = Math.min(used, MOST_SHOWN);
			return Array.from({ length: shown }, (_, index) => ({
				mac: macOf(`${one.label.serial} ${name} ${index}`),
				port: name,
				address: addressAfter(first, index)
			}));
		});
		const neighbours = this.neighbours(one).map(({ port, chassis, address }) => ({
			mac: chassis,
			port,
			address: address || null
		}));
		return [...neighbours, ...clients];
	}

	/** How many addresses are left for clients, by network. */
	clients(one: Station): readonly LanUse[] {
		return (one.wiring?.lans ?? []).flatMap(({ name, address, range }) => {
			if (!range) return [];
			const [first, last] = range;
			const size = countBetween(first, last);
			const used = one.faults.has('no-addresses-left') ? size : Math.min(size, 4 + (hashed(address) % 9));
			return [{ name, first, last, used, free: size - used }];
		});
	}
}

/** A table on paper has no room for more. */
const MOST_SHOWN = 12;
const macOf = (name: string): string =>
	['06', ...createHash('sha256').update(name).digest('hex').slice(0, 10).match(/../g)!].join(':');
const addressAfter = (first: string, by: number): string => {
	const parts = first.split('.').map(Number);
	parts[3] = parts[3]! + by;
	return parts.join('.');
};

const peerOf = ({ own }: Tunnel): string => {
	const [address, length] = own.split('/');
	const parts = address!.split('.').map(Number);
	parts[3] = length === '31' ? parts[3]! ^ 1 : parts[3]!;
	return parts.join('.');
};

/** Which share of packets each fault at a unit loses. */
const LOSSES: Readonly<Partial<Record<Fault, number>>> = {
	'lossy-line': 0.3,
	loop: 0.6,
	'address-taken': 0.5
};
const lossesAt = ({ faults }: Station): readonly number[] =>
	Object.entries(LOSSES).flatMap(([fault, loss]) => (faults.has(fault as Fault) ? [loss] : []));

const nameOf = (one: Station): string => one.wiring?.hostname ?? one.label.model.toLowerCase();

/** What a unit sees that stands in no network: nothing, but an internet that answers. */
export const ALONE: Surroundings = {
	self: { mac: '02:00:00:00:00:00', name: 'alone', memory: '1024 MB', modules: 'none' },
	reach: () => ({ sent: SENT, received: SENT, milliseconds: 10, hops: [] }),
	resolve: () => null,
	tunnels: () => [],
	routes: () => [],
	neighbours: () => [],
	ports: () => [],
	clients: () => [],
	learnt: () => [],
	clock: () => new Date()
};
