import type { Ask } from '../pack';
import type { ReadyCheck } from '../profile';

/**
 * What a unit, and its site, has to show before it counts as online. A check says what is asked, of which unit, and what
 * the plan expects; its outcome is values with units, never a text alone.
 */
export type Expectation =
	| { readonly kind: 'serial'; readonly serial: string }
	| { readonly kind: 'firmware'; readonly version: string }
	/** Running equals what its unit was given last. */
	| { readonly kind: 'configuration' }
	| { readonly kind: 'tunnel'; readonly tunnel: string }
	| { readonly kind: 'route'; readonly prefix: string; readonly tunnel: string; readonly next: string }
	| {
			readonly kind: 'reach';
			readonly host: string;
			/** At most, in percent. */
			readonly loss: number;
			/** There and back, at most. */
			readonly milliseconds: number;
	  }
	/** `next`: the far end of the tunnel that the first step of the way goes through. */
	| {
			readonly kind: 'path';
			readonly host: string;
			readonly way: 'direct' | 'hub';
			readonly next: string;
	  }
	| { readonly kind: 'neighbours'; readonly cables: readonly ExpectedCable[] }
	/** `speed`: in Mbit/s, at least. */
	| { readonly kind: 'port'; readonly port: string; readonly speed: number }
	| { readonly kind: 'power'; readonly ports: readonly { readonly port: string; readonly feeds: string }[] }
	/** `least`: so many addresses are left for clients in each network. */
	| { readonly kind: 'clients'; readonly least: number }
	| { readonly kind: 'name'; readonly name: string }
	/** `seconds`: so far off at most. */
	| { readonly kind: 'clock'; readonly seconds: number }
	| ({ readonly kind: 'command' } & ReadyCheck);

/** What should be plugged into one port of a unit, by the port's printed name. */
export interface ExpectedCable {
	readonly port: string;
	/** The other end's position, and its printed port; the unit's hardware address where one is bound. */
	readonly far: string;
	readonly farPort: string;
	readonly chassis: string | null;
}

export type CheckKind = Expectation['kind'];

interface Kind {
	/** What its unit's pack must be able to ask; null where nothing, or something else, is asked. */
	readonly ask: Ask | null;
	/** What it can be about. */
	readonly title: string;
	/** How long it is worth waiting until it holds, in seconds: a tunnel takes its time. */
	readonly patience: number;
}
export const CHECK_KINDS: Readonly<Record<CheckKind, Kind>> = {
	serial: { ask: 'serial', title: 'The unit that is bound here', patience: 0 },
	firmware: { ask: 'version', title: 'Firmware as wanted', patience: 0 },
	configuration: { ask: 'configuration', title: 'Running equals intended', patience: 0 },
	port: { ask: 'counters', title: 'Its uplink is up', patience: 20 },
	power: { ask: 'counters', title: 'Power for what hangs on it', patience: 20 },
	neighbours: { ask: 'neighbours', title: 'Cabled as planned', patience: 30 },
	name: { ask: 'name', title: 'Names resolve', patience: 20 },
	clock: { ask: 'clock', title: 'The right time', patience: 20 },
	clients: { ask: 'clients', title: 'Addresses left for clients', patience: 0 },
	tunnel: { ask: 'tunnels', title: 'Tunnel up', patience: 60 },
	route: { ask: 'routes', title: 'Route there', patience: 60 },
	reach: { ask: 'reach', title: 'The far side answers', patience: 60 },
	path: { ask: 'path', title: 'By the planned path', patience: 60 },
	command: { ask: null, title: 'The profile’s own check', patience: 20 }
};
/** The order in which checks are made: what explains the others comes first. */
export const CHECK_ORDER = Object.keys(CHECK_KINDS) as readonly CheckKind[];

/** What a check is called on a page: its kind, and what it is about. */
export function checkTitle(check: Expectation): string {
	switch (check.kind) {
		case 'tunnel':
			return `Tunnel ${check.tunnel} up`;
		case 'route':
			return `Route to ${check.prefix}`;
		case 'reach':
			return `${check.host} answers`;
		case 'path':
			return check.way === 'direct' ? `${check.host} directly` : `${check.host} by way of the hub`;
		case 'port':
			return `Port ${check.port} is up`;
		case 'name':
			return `${check.name} resolves`;
		case 'command':
			return check.name;
		default:
			return CHECK_KINDS[check.kind].title;
	}
}

export interface Figure {
	readonly name: string;
	readonly value: number;
	readonly unit: '%' | 'ms' | 's' | 'Mbit/s' | '';
}
/** `unread`: it answered, and nobody can tell what; `cannot`: a unit of this model cannot be asked. */
export const CHECK_STATES = ['waiting', 'asking', 'holds', 'fails', 'unread', 'cannot'] as const;
export type CheckState = (typeof CHECK_STATES)[number];
export interface Outcome {
	readonly state: 'holds' | 'fails';
	/** What was found, in a sentence. */
	readonly words: string;
	readonly figures: readonly Figure[];
}

export const isOver = (state: CheckState): boolean => state !== 'waiting' && state !== 'asking';

/** How a proof stands. Law: it holds when each of its checks holds or cannot be asked, and one at least holds. */
export function proofStanding(states: readonly CheckState[]): 'open' | 'held' | 'failed' {
	if (states.some((state) => !isOver(state))) return 'open';
	return states.includes('holds') && states.every((state) => state === 'holds' || state === 'cannot')
		? 'held'
		: 'failed';
}

/** Limits that people can change, for the checks of a profile. A kind that is off is not checked. */
export interface ProofLimits {
	readonly off: readonly CheckKind[];
	readonly loss: number;
	readonly milliseconds: number;
	readonly speed: number;
	readonly least: number;
	readonly seconds: number;
}
export const USUAL_LIMITS: ProofLimits = {
	off: [],
	loss: 10,
	milliseconds: 200,
	speed: 100,
	least: 1,
	seconds: 1
};
