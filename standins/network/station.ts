import type { Fault } from '../units/flash';
import type { Wiring } from '../units/configuration/wiring';

/** A unit as the network between the units sees it. */
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

/** By which its neighbours know it. */
export const nameOf = (one: Station): string => one.wiring?.hostname ?? one.label.model.toLowerCase();
