/** What survives a loss of power. */
export interface Flash {
	version: string;
	/** The configuration that was applied; null in factory state. */
	configuration: string | null;
	/** SSH host key, private half, OpenSSH format; made in the factory. */
	hostKey: string;
}

/** Faults that can be switched on per unit in the yard. */
export const FAULTS = {
	'no-lease': 'gets no address by DHCP',
	'no-name': 'cannot resolve the bootstrap server’s name',
	'wrong-clock': 'its clock is years behind and time service does not reach it',
	'wrong-code': 'sends a claim code that is not the one on its label',
	'bad-hash': 'downloads arrive damaged',
	'rejected-line': 'its firmware does not know one word of the configuration',
	'drops-out': 'loses power in the middle of configuration',
	'lost-way': 'does not find its home with a configuration that was sent to it, until it goes back',
	'far-side-silent': 'nothing behind its uplink answers but Limen'
} as const;
export type Fault = keyof typeof FAULTS;

/** How long things take on a real device, in milliseconds, before the yard's pace. */
export const DURATIONS = {
	boot: 60_000,
	link: 5_000,
	patience: 30_000,
	parse: 3_000,
	flashing: 180_000,
	script: 4_000,
	configure: 20_000,
	settle: 15_000,
	outage: 60_000
} as const;
/** Pauses between calls grow from the first to the last. */
export const PAUSES = { first: 20_000, last: 240_000 } as const;
