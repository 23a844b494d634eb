import type { Surroundings } from '../../network/station';
import type { Changes } from '../configuration/changes';
import type { Format, Statement } from '../configuration/configuration';
import type { Images } from '../images';
import type { Meters } from '../load';
import type { NetconfDevice } from '../netconf';

/** What each maker's firmware looks like from its command line, and where its settings are. */
export interface Maker {
	readonly format: Format;
	readonly osName: string;
	/** Its units believe nobody but whom its voucher names. */
	readonly vouches?: true;
	/** The word whose absence the fault "rejected line" plays. */
	readonly newWord: string;
	readonly ordered: ReadonlySet<string>;
	readonly answer: (command: string, device: Device) => Reply | null;
	/** How it serves NETCONF, where that is what it has instead of commands. */
	readonly netconf?: (device: Device) => NetconfDevice;
	readonly home: (statements: readonly Statement[]) => Home | null;
	/** Who may log in with a password. */
	readonly accounts: (statements: readonly Statement[]) => readonly Account[];
	/** What is typed at its console is gone with its power unless it is saved. */
	readonly savesApart?: true;
	/** What it calls itself, and to whom it says what happens to it. */
	readonly logging: (statements: readonly Statement[]) => {
		readonly name: string | undefined;
		readonly server: string | undefined;
	};
}

/** Whom the unit dials, and whose key may log in. */
export interface Home {
	readonly host: string;
	readonly port: number;
	readonly user: string;
	readonly key: string;
	/** Who else may log in, with a password. */
	readonly accounts: readonly Account[];
}
export interface Account {
	readonly user: string;
	readonly password: string;
}

/** What a command line is asked about. */
export interface Device {
	readonly serial: string;
	readonly version: string;
	readonly configuration: string;
	readonly network: Surroundings;
	readonly changes: Changes;
	/** What it would start with, and what makes it start with what it runs. */
	readonly saved?: string;
	readonly save?: () => void;
	/** The release beside the one that runs. */
	readonly images: Images;
	/** What its ports have carried; one without has just been started. */
	readonly meters?: Meters;
	/** Restarts it, once it has answered. */
	readonly restart: () => void;
}
/** What a command prints, or why it does nothing; one that reads its input says so first. */
export type Reply = string | { readonly problem: string } | { readonly reads: (input: string) => Reply };
