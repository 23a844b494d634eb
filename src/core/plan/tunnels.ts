import { hostOf, parsePrefix, printAddress } from '../address';
import { resolveValues, writeValue, type ScopedValues, type Value } from '../profile';

/**
 * Tunnels: a row between two positions, from which both ends' renderings come. Texts read a position's tunnels as
 * `position.tunnels`, one after another in order of their names.
 */
export interface Tunnel {
	/** The same at both ends. */
	readonly name: string;
	readonly secret: string;
	/** The block of two addresses, `10.255.0.4/31`. */
	readonly block: string;
}
/** One end of a tunnel. `scoped`: the values given there, as far as they are the plan's own and not a profile's. */
export interface TunnelSide {
	readonly side: 'near' | 'far';
	readonly siteName: string;
	readonly positionName: string;
	readonly scoped: Pick<ScopedValues, 'customer' | 'site' | 'position'>;
}
/** A tunnel as a text at one of its ends sees it. */
export interface TunnelEnd {
	readonly name: string;
	readonly secret: string;
	/** This end's address in it, with the length: `10.255.0.5/31`. */
	readonly own_address: string;
	/** The other end's, alone: `10.255.0.4`. */
	readonly far_address: string;
	/** Where the other end is reached from outside; empty where it is not known: then it has to begin. */
	readonly endpoint: string;
	/** What lies behind the other end. */
	readonly networks: readonly string[];
	/** The other end's own networks, of what lies behind it. */
	readonly far_networks: readonly string[];
	/** Others are reached through the other end as well. */
	readonly is_hub: boolean;
	readonly far_site: string;
	readonly far_position: string;
}

/** The field that says where a unit is reached from outside. */
export const OUTSIDE_FIELD = 'outside_address';
/** The field that says what is reached through a unit, where that is more than its site's own networks: of a hub. */
const THROUGH_FIELD = 'reachable_networks';
/** The field with a site's own networks. */
export const OWN_FIELD = 'networks';
/** The fields that say which networks are reached through a unit; the first that has a value counts. */
const BEHIND_FIELDS = [THROUGH_FIELD, OWN_FIELD] as const;
/** What is given at one end of a tunnel and stands at the other. */
export const TOLD_ACROSS: readonly string[] = [OUTSIDE_FIELD, ...BEHIND_FIELDS];

const given = (value: Value | undefined): readonly string[] =>
	value === undefined || value === ''
		? []
		: Array.isArray(value)
			? value.map(String)
			: writeValue(value).split(/[\s,]+/);

/** Which networks are reached through a position. */
export function networksBehind({ scoped }: Pick<TunnelSide, 'scoped'>): readonly string[] {
	const values = resolveValues(scoped);
	const field = BEHIND_FIELDS.find((name) => given(values[name]).length > 0);
	return field === undefined ? [] : given(values[field]).filter(Boolean);
}

/** The networks of a position's own site. */
export const ownNetworks = ({ scoped }: Pick<TunnelSide, 'scoped'>): readonly string[] =>
	given(resolveValues(scoped)[OWN_FIELD]).filter(Boolean);
/** Whether others are reached through a position. */
export const isHub = ({ scoped }: Pick<TunnelSide, 'scoped'>): boolean =>
	given(resolveValues(scoped)[THROUGH_FIELD]).length > 0;

/** Where a position is reached from outside; empty where that is not known. */
const outsideOf = ({ scoped }: Pick<TunnelSide, 'scoped'>): string =>
	given(resolveValues(scoped)[OUTSIDE_FIELD])[0]?.split('/')[0] ?? '';

/** The addresses of both ends: the far end (the hub) has the first of the block. */
export function tunnelAddresses(block: string): { readonly near: string; readonly far: string } {
	const prefix = parsePrefix(block)!;
	const host = (n: bigint) => printAddress(hostOf(prefix, n)!);
	return { far: host(0n), near: host(1n) };
}

/** A tunnel as the text at `own` sees it. Law: what the two ends are told of addresses and secret agrees. */
export function tunnelEnd(tunnel: Tunnel, own: TunnelSide, other: TunnelSide): TunnelEnd {
	const addresses = tunnelAddresses(tunnel.block);
	return {
		name: tunnel.name,
		secret: tunnel.secret,
		own_address: `${addresses[own.side]}/${tunnel.block.split('/')[1]}`,
		far_address: addresses[other.side],
		endpoint: outsideOf(other),
		networks: networksBehind(other),
		far_networks: ownNetworks(other),
		is_hub: isHub(other),
		far_site: other.siteName,
		far_position: other.positionName
	};
}

const LONGEST_NAME = 24;

/**
 * A name for a tunnel from a site: small letters, digits and hyphens, 24 at most, so that every maker takes it; with a
 * number where it is taken.
 */
export function tunnelName(siteName: string, taken: ReadonlySet<string>): string {
	const plain = siteName
		.normalize('NFKD')
		.toLowerCase()
		.replace(/\p{Mark}/gu, '')
		.replace(/[^a-z0-9]+/g, '-')
		.replace(/^[-0-9]+|-+$/g, '');
	const base = plain.slice(0, LONGEST_NAME).replace(/-+$/, '') || 'site';
	for (let number = 1; ; number++) {
		const suffix = number === 1 ? '' : `-${number}`;
		const name = base.slice(0, LONGEST_NAME - suffix.length).replace(/-+$/, '') + suffix;
		if (!taken.has(name)) return name;
	}
}

/** Whose configurations change as well, in a sentence; empty when nobody's does. */
export const acrossWords = (places: readonly string[]): string =>
	places.length === 0
		? ''
		: places.length === 1
			? `The configuration of ${places[0]} changes with it.`
			: `The configurations of ${places.slice(0, 3).join(', ')}${places.length > 3 ? ` and ${places.length - 3} more` : ''} change with it.`;
