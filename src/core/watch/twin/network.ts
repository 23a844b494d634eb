import {
	holdsAddress,
	parseAddress,
	parseInterface,
	printAddress,
	printPrefix,
	type Address,
	type InterfaceAddress
} from '../../address';
import { nodesAt, type ConfigNode, type ConfigTree, type NetworkReads, type PathNames } from '../../config';

/** What a configuration makes of its unit in its network, read by what its pack says of where that stands. */
export interface Wiring {
	/** Its fixed address on the uplink; null where the provider gives one. */
	readonly outside: (InterfaceAddress & { readonly line: number }) | null;
	readonly gateway: { readonly address: Address; readonly line: number } | null;
	readonly segments: readonly Segment[];
	readonly tunnels: readonly TunnelSaid[];
	/** Ports that give power, by their printed names; null where every port for access points does. */
	readonly feeding: ReadonlySet<string> | null;
}
export interface Segment extends InterfaceAddress {
	readonly name: string;
	readonly line: number;
	readonly range: { readonly first: Address; readonly last: Address; readonly line: number } | null;
}
/** A tunnel as one end's configuration says it. */
export interface TunnelSaid {
	readonly name: string;
	readonly line: number;
	/** Where it dials; null where it waits to be dialled. */
	readonly far: string | null;
	readonly secret: string;
	readonly own: InterfaceAddress | null;
	/** The block of both ends' addresses, printed; empty without one. */
	readonly block: string;
	/** What it sends through, as blocks; what cannot be read is left out. */
	readonly carries: readonly InterfaceAddress[];
}

const NOTHING: Wiring = { outside: null, gateway: null, segments: [], tunnels: [], feeding: null };

const unquoted = (text: string): string => {
	if (!/^".*"$/s.test(text)) return text;
	try {
		return String(JSON.parse(text));
	} catch {
		return text;
	}
};
/** The words of a statement that are addresses, with their length or without. */
const addressesIn = (node: ConfigNode | undefined): readonly string[] =>
	(node?.rest ?? '')
		.split(/[\s,"]+/)
		.filter((word) => /^[0-9a-fA-F:.]+(?:\/\d+)?$/.test(word) && /[.:]/.test(word));

/** Reads a configuration's tree. Rejects nothing: what is not there, or cannot be read, is left out. */
export function wiringOf(tree: ConfigTree, reads: NetworkReads | undefined, names: PathNames): Wiring {
	if (!reads) return NOTHING;
	const all = (nodes: ConfigTree, path: readonly string[]) => nodesAt(nodes, path, names);
	const outsideAt = reads.outside && all(tree, reads.outside.address)[0];
	const outside = parseInterface(addressesIn(outsideAt)[0] ?? '');
	const gatewayAt = reads.outside?.gateway && all(tree, reads.outside.gateway)[0];
	const gateway = parseAddress(addressesIn(gatewayAt).at(-1) ?? '');
	return {
		outside: outside && { ...outside, line: outsideAt!.line },
		gateway: gateway && { address: gateway, line: gatewayAt!.line },
		segments: (reads.segments ?? []).flatMap(({ at, address, range }) =>
			all(tree, at).flatMap((node): readonly Segment[] => {
				const own = all(node.children, address)[0];
				const read = parseInterface(addressesIn(own)[0] ?? '');
				if (!read || own === outsideAt) return [];
				const handsOut = range && all(node.children, range)[0];
				const [first, last] = addressesIn(handsOut).map(parseAddress);
				return [
					{
						...read,
						name: node.rest,
						line: own!.line,
						range: first && last ? { first, last, line: handsOut!.line } : null
					}
				];
			})
		),
		tunnels: reads.tunnels
			? all(tree, reads.tunnels.at).map((node): TunnelSaid => {
					const { far, secret, address, carries } = reads.tunnels!;
					const said = (path: readonly string[]) => all(node.children, path)[0];
					const own = parseInterface(addressesIn(said(address))[0] ?? '');
					return {
						name: node.rest,
						line: node.line,
						far: said(far)?.rest ?? null,
						secret: unquoted(said(secret)?.rest ?? ''),
						own,
						block: own ? printPrefix(own) : '',
						carries: all(node.children, carries).flatMap(
							(one) => parseInterface(addressesIn(one)[0] ?? '') ?? []
						)
					};
				})
			: [],
		feeding: reads.power
			? new Set(
					all(tree, reads.power.at)
						.filter((node) => all(node.children, reads.power!.when).length > 0)
						.map(({ rest }) => rest)
				)
			: null
	};
}

/** A unit in the computed network. */
export interface Station {
	/** Its position. */
	readonly id: string;
	readonly name: string;
	readonly siteName: string;
	readonly wiring: Wiring;
	/** It stands, has power and its uplink works. */
	readonly isUp: boolean;
}

const isSame = (a: Address, b: Address): boolean => a.version === b.version && a.value === b.value;

/** Addresses that mean nothing in the internet (RFC 1918, RFC 6598, RFC 4193). */
const PRIVATE = ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16', '100.64.0.0/10', 'fc00::/7'].map((text) =>
	parseInterface(text)!
);
const isPrivate = (address: Address): boolean => PRIVATE.some((block) => holdsAddress(block, address));

/** Why a tunnel would not come up, seen from one of its ends. */
export type TunnelFault =
	| { readonly kind: 'no other end' }
	| { readonly kind: 'not up' | 'another secret' | 'nobody dials'; readonly other: Station };

/** The other end of a tunnel, where both ends agree; else why they do not. */
export function otherEnd(
	one: Station,
	tunnel: TunnelSaid,
	all: readonly Station[]
): { readonly station: Station; readonly tunnel: TunnelSaid } | TunnelFault {
	let fault: TunnelFault = { kind: 'no other end' };
	for (const station of all) {
		if (station.id === one.id) continue;
		for (const theirs of station.wiring.tunnels) {
			const { own } = tunnel;
			if (!own || !theirs.own || tunnel.block !== theirs.block) continue;
			if (isSame(own.address, theirs.own.address)) continue;
			if (!station.isUp) fault = { kind: 'not up', other: station };
			else if (tunnel.secret !== theirs.secret) fault = { kind: 'another secret', other: station };
			else if (!dials(tunnel, station) && !dials(theirs, one))
				fault = { kind: 'nobody dials', other: station };
			else return { station, tunnel: theirs };
		}
	}
	return fault;
}
const dials = ({ far }: TunnelSaid, { wiring: { outside } }: Station): boolean => {
	const wanted = far === null ? null : parseAddress(far);
	return wanted !== null && outside !== null && isSame(wanted, outside.address);
};
export const isUpEnd = <End extends object>(end: End | TunnelFault): end is Exclude<End, TunnelFault> =>
	!('kind' in end);

const MOST_HOPS = 16;

/** The way of a packet: the addresses by which it enters each next unit, and whether it is answered there. */
export interface Way {
	readonly hops: readonly string[];
	readonly last: Station;
	readonly arrived: boolean;
}

/** Follows a packet: each unit sends it by the longest block that holds its address, of equal ones by the first. */
export function wayTo(from: Station, to: Address, all: readonly Station[]): Way {
	const hops: string[] = [];
	let at = from;
	for (let count = 0; count < MOST_HOPS; count++) {
		const { segments, tunnels, outside } = at.wiring;
		const own = [...segments, ...tunnels.flatMap((one) => one.own ?? []), ...(outside ? [outside] : [])];
		if (own.some(({ address }) => isSame(address, to))) return { hops, last: at, arrived: true };
		let best: { readonly length: number; readonly tunnel: TunnelSaid | null } | null = null;
		for (const segment of segments)
			if (holdsAddress(segment, to) && segment.length > (best?.length ?? -1))
				best = { length: segment.length, tunnel: null };
		for (const tunnel of tunnels)
			for (const block of tunnel.own ? [...tunnel.carries, tunnel.own] : tunnel.carries)
				if (
					block.length > (best?.length ?? -1) &&
					holdsAddress(block, to) &&
					isUpEnd(otherEnd(at, tunnel, all))
				)
					best = { length: block.length, tunnel };
		if (best?.tunnel) {
			const end = otherEnd(at, best.tunnel, all);
			if (!isUpEnd(end)) break;
			hops.push(printAddress(end.tunnel.own!.address));
			at = end.station;
			continue;
		}
		if (best || isPrivate(to) || !at.isUp) break;
		const there = all.find(({ wiring }) => wiring.outside && isSame(wiring.outside.address, to));
		// What lies in the internet and is none of ours is taken to answer
		if (!there) return { hops: [...hops, printAddress(to)], last: at, arrived: true };
		if (!there.isUp) break;
		hops.push(printAddress(to));
		at = there;
	}
	return { hops, last: at, arrived: false };
}

/** Whether an address answers: its packet arrives, and what comes back finds the sender's own network. */
export function answers(
	from: Station,
	to: Address,
	all: readonly Station[]
): Way & { readonly answered: boolean } {
	const way = wayTo(from, to, all);
	const source = from.wiring.segments[0];
	const answered =
		way.arrived &&
		(!source || way.last === from || !isPrivate(to) || wayTo(way.last, source.address, all).last === from);
	return { ...way, answered };
}
