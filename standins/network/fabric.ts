import { createHash } from 'node:crypto';
import { FACTORY_TIME, type Fault } from '../units/flash';
import { bare, blockOf, countBetween, holds, isAddress, isPrivate } from './addresses';
import { nameOf, type Echoes, type LanUse, type Learnt, type Station, type Surroundings } from './station';
import { Tunnels } from './tunnels';

const SENT = 10;
const MOST_HOPS = 8;
const hashed = (text: string): number => createHash('sha256').update(text).digest().readUInt16BE(0);

/**
 * The network between the units: one world, in which nothing is so because it is told so. A packet goes
 * where the configurations send it, over cables and tunnels, and so does its answer.
 */
export class Fabric<Own extends Station = Station> extends Tunnels<Own> {
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
			.filter(({ block, tunnel }) => holds(blockOf(block), to) && (!tunnel || this.upTo(at, tunnel)))
			.sort((a, b) => b.length - a.length)[0];
		if (best?.lan) return 'lost';
		if (best?.tunnel) {
			const other = this.upTo(at, best.tunnel)!;
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

/** Which share of packets each fault at a unit loses. */
const LOSSES: Readonly<Partial<Record<Fault, number>>> = {
	'lossy-line': 0.3,
	loop: 0.6,
	'address-taken': 0.5
};
const lossesAt = ({ faults }: Station): readonly number[] =>
	Object.entries(LOSSES).flatMap(([fault, loss]) => (faults.has(fault as Fault) ? [loss] : []));

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
