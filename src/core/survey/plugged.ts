import { chassisKey } from './sighting';

/** A row of an address table: behind which port a MAC address was learnt, or which address it has. */
export interface Station {
	/** Of which unit's table: the key of a thing. */
	readonly thing: string;
	/** Empty in a table of addresses (ARP, RFC 826), which knows no ports. */
	readonly port: string;
	readonly mac: string;
	readonly address: string | null;
	readonly seenAt: Date;
}
/** Where something is plugged in. */
export interface Plugged {
	readonly thing: string;
	readonly port: string;
	readonly mac: string;
	readonly addresses: readonly string[];
	readonly seenAt: Date;
	/** Other things are behind this port as well: it is somewhere behind it. */
	readonly isBehind: boolean;
}

/**
 * At which port MAC addresses are, out of the tables of all units: a port behind which another surveyed unit was heard only leads
 * there, and of several others the one with the fewest addresses behind it is the nearest. `leading`: those ports, as
 * `key port`. Law: each MAC address comes once, and only where a table of ports knows it.
 */
export function pluggedIn(stations: readonly Station[], leading: ReadonlySet<string>): readonly Plugged[] {
	const crowd = new Map<string, Set<string>>();
	const places = new Map<string, Station[]>();
	const addresses = new Map<string, Set<string>>();
	for (const one of stations) {
		const mac = chassisKey(one.mac);
		if (one.address !== null) addresses.set(mac, (addresses.get(mac) ?? new Set()).add(one.address));
		if (one.port === '') continue;
		const place = `${one.thing} ${one.port}`;
		// A unit under two addresses tells of the same twice
		crowd.set(place, (crowd.get(place) ?? new Set()).add(mac));
		const those = places.get(mac);
		if (those) those.push(one);
		else places.set(mac, [one]);
	}
	const rank = (one: Station) => {
		const place = `${one.thing} ${one.port}`;
		return [Number(leading.has(place)), crowd.get(place)!.size] as const;
	};
	return [...places].map(([mac, those]) => {
		const [nearest] = [...those].sort((a, b) => {
			const [aLeads, aCrowd] = rank(a);
			const [bLeads, bCrowd] = rank(b);
			return aLeads - bLeads || aCrowd - bCrowd || (a.thing + a.port < b.thing + b.port ? -1 : 1);
		});
		const [leads, behind] = rank(nearest!);
		return {
			thing: nearest!.thing,
			port: nearest!.port,
			mac: nearest!.mac,
			addresses: [...(addresses.get(mac) ?? [])].sort(),
			seenAt: nearest!.seenAt,
			isBehind: leads === 1 || behind > 1
		};
	});
}
