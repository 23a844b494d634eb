import type { Neighbour } from '../network/station';
import type { Signer } from '../../src/core/trust';
import type { Fault, Flash } from './flash';
import type { Lamp } from './lamps';
import type { Maker } from './makers';
import type { Storage } from './onboarding/storage';

/** What is printed on the box. */
export interface Label {
	readonly serial: string;
	readonly mac: string;
	readonly claimCode: string;
	readonly model: string;
	readonly maker: string;
	/** The address that it calls from, where it is plugged in. */
	readonly line?: string | undefined;
	/** It listens there for whoever has an account in its configuration. */
	readonly listens?: boolean | undefined;
	readonly beside?: readonly Neighbour[] | undefined;
}

/** Where the simulated network's services are, and how fast time runs: 1 is real, 0.01 a hundred times as fast. */
export interface World {
	readonly dhcpPort: number;
	readonly dnsPort: number;
	readonly timePort: number;
	/** Where what they say to their log server arrives. */
	readonly logPort: number;
	/** Where units listen that do; null for none. */
	readonly sshPort?: number | undefined;
	readonly pace: number;
	/** The certificate that units trust, as PEM; null when they call in the clear. */
	readonly trust: string | null;
	/** What each maker signs with, that gives its units certificates; they believe its vouchers alone. Units of others believe the server. */
	readonly makers?: ReadonlyMap<string, MakerKeys>;
	/** Where the makers' well-known servers are. */
	readonly wellKnownPort?: number;
}
/** A maker's authorities: for its vouchers, whose root its units were made to trust, and for its units' certificates. */
export interface MakerKeys {
	readonly vouchers: Signer;
	readonly devices: Signer;
}

/** A unit, as its own parts see it. */
export interface Self {
	readonly label: Label;
	readonly flash: Flash;
	readonly world: World;
	readonly faults: ReadonlySet<Fault>;
	readonly maker: Maker;
	readonly cable: 'uplink' | 'lan' | 'none';
	readonly storage: Storage | null;
	readonly hasWayOut: boolean;
	lamp: Lamp;
	/** On its console. */
	say(words: string): void;
	pause(duration: number, signal: AbortSignal): Promise<void>;
	/** What its firmware does not understand of a configuration, and where. */
	problemOf(text: string): { readonly line: number; readonly message: string } | null;
	/** Writes a release to flash; whether it starts with it is seen when it starts. */
	write(version: string, signal: AbortSignal): Promise<void>;
}
