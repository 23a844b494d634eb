/** What came of an address in a survey. `in`: it let in and said what it is. */
export type SightOutcome =
	| 'in'
	| 'not understood'
	| 'no login'
	| 'login'
	| 'held back'
	| 'host key'
	| 'no ssh'
	| 'port closed'
	| 'unreachable'
	| 'broke off'
	| 'outside'
	| 'not come to';

/** What a unit hears at one of its ports (LLDP, IEEE 802.1AB); empty where it does not say. */
export interface Heard {
	readonly port: string;
	readonly chassis: string;
	readonly farPort: string;
	readonly name: string;
	readonly description: string;
	/** The address by which it is managed, as it was written. */
	readonly address: string;
}
/** What one address of a survey said. */
export interface Sighting {
	readonly address: string;
	/** How many steps from where the survey began. */
	readonly depth: number;
	readonly outcome: SightOutcome;
	/** Why, in words; empty where all went well. */
	readonly words: string;
	/** The public key that it showed, or a digest of it. */
	readonly hostKey: string | null;
	readonly maker: string | null;
	readonly model: string | null;
	readonly serial: string | null;
	readonly version: string | null;
	readonly name: string | null;
	/** By which its neighbours know it. */
	readonly mac: string | null;
	readonly heard: readonly Heard[];
	/** The speed of ports, in Mbit/s. */
	readonly speeds: Readonly<Record<string, number>>;
}

/** What was heard at a port, as far as it was said. */
export const heardOf = (port: string, said: Partial<Heard> = {}): Heard => ({
	port,
	chassis: '',
	farPort: '',
	name: '',
	description: '',
	address: '',
	...said
});
/** What an address said, as far as it did. */
export const sightingOf = (address: string, said: Partial<Sighting> = {}): Sighting => ({
	address,
	depth: 0,
	outcome: 'in',
	words: '',
	hostKey: null,
	maker: null,
	model: null,
	serial: null,
	version: null,
	name: null,
	mac: null,
	heard: [],
	speeds: {},
	...said
});

/** How chassis are compared, whatever marks stand between their digits; what is no MAC address stays as it is. */
export function chassisKey(text: string): string {
	const lower = text.trim().toLowerCase();
	const digits = lower.replace(/[:.\- ]/g, '');
	return /^[0-9a-f]{12}$/.test(digits) ? digits : lower;
}
