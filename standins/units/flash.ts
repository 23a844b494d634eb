import type { Signer } from '../../src/core/trust';

/** What survives a loss of power. */
export interface Flash {
	version: string;
	/** Written, and to be started with. */
	next?: string;
	/** The configuration that was applied; null in factory state. */
	configuration: string | null;
	/** What it would start with, where that is kept apart and is another. */
	saved?: string | null;
	/** SSH host key, private half, OpenSSH format; made in the factory. */
	hostKey: string;
	/** Its device certificate with its key, made in the factory too; where its maker gives one. */
	identity?: Signer;
	/** Somebody has been at its console, as its file in the yard says. */
	isTweaked?: boolean;
}

/** What somebody types at a console: `words` in the place of `over`, or as a statement of its own. */
export interface Tweak {
	readonly words: string;
	readonly over?: string | undefined;
	/** As whom. */
	readonly by?: string | undefined;
}

/** Faults that can be switched on per unit in the yard. */
export const FAULTS = {
	'no-lease': 'gets no address by DHCP',
	'no-option': 'its network says nothing of a bootstrap server',
	'no-name': 'cannot resolve the bootstrap server’s name',
	'wrong-clock': 'its clock is years behind and time service does not reach it',
	'wrong-code': 'sends a claim code that is not the one on its label',
	circle: 'somebody in its network sends it in a circle',
	'forged-voucher': 'it is shown a voucher that its maker did not sign',
	'other-voucher': 'it is shown a voucher for another unit',
	'old-voucher': 'it is shown a voucher that has ended',
	'replayed-nonce': 'it is shown a voucher with a nonce that it did not send',
	'wrong-owner': 'what it is to become is signed by somebody whom its voucher does not name',
	tampered: 'what it is to become is changed on its way',
	unsigned: 'what it is to become is given to it unsigned',
	'bad-hash': 'downloads arrive damaged',
	'rejected-line': 'its firmware does not know one word of the configuration',
	'worn-flash': 'its flash is worn: writing an image to it does not come to an end',
	'old-release': 'starts its release from before after another one was written',
	'drops-out': 'loses power in the middle of configuration',
	'lost-way': 'does not find its home with a configuration that was sent to it, until it goes back',
	'far-side-silent': 'nothing behind its uplink answers but Limen',
	'cut-fibre': 'the fibre to it is cut: its uplink port is dark',
	'lossy-line': 'its provider loses 30 % of what it sends',
	'blocked-tunnels': 'its provider lets no tunnel through',
	'lost-secret': 'its store of secrets is damaged: no tunnel of its agrees with the other end',
	'forwards-nothing': 'says that its tunnels are up, and forwards nothing through them',
	'bad-cable': 'its uplink cable is damaged: the port comes up at 10 Mbit/s',
	mute: 'does not say to its neighbours who it is',
	stranger: 'somebody has plugged a box of their own into its last port',
	loop: 'a cable leads from its first local port to its last',
	'address-taken': 'another device in its local network has taken its address',
	'no-addresses-left': 'all addresses for clients are given away'
} as const;
export type Fault = keyof typeof FAULTS;

/** What a clock says that was never set. */
export const FACTORY_TIME = Date.parse('2020-01-01T00:00:00Z');

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
	outage: 60_000,
	/** So long after a unit came online first somebody comes by and types. */
	tweak: 4_500_000
} as const;
/** Pauses between calls grow from the first to the last. */
export const PAUSES = { first: 20_000, last: 240_000 } as const;
