/**
 * What can be asked of a unit. `about`: what is filled into the commands; `gives`: the values that a reading must
 * have, `may` those it may have besides. `rows`: there can be many. `whole`: the answer is a text, kept as it is.
 */
interface AskKind {
	readonly words: string;
	readonly about: readonly Parameter[];
	readonly gives: readonly string[];
	readonly may?: readonly string[];
	readonly rows?: true;
	readonly whole?: true;
}
export type Parameter = 'host';

export const ASKS = {
	version: { words: 'which firmware it runs', about: [], gives: ['version'] },
	serial: {
		words: 'its serial number',
		about: [],
		gives: ['serial'],
		may: ['model', 'mac', 'name', 'memory', 'modules']
	},
	configuration: { words: 'its configuration', about: [], gives: [], whole: true },
	saved: { words: 'what it would start with', about: [], gives: [], whole: true },
	image: {
		words: 'how the image that it fetches is doing',
		about: [],
		gives: ['state'],
		may: ['percent', 'words']
	},
	neighbours: {
		words: 'what it is plugged into',
		about: [],
		gives: ['port', 'chassis'],
		may: ['neighbour_port', 'name', 'description', 'address'],
		rows: true
	},
	learnt: {
		words: 'which MAC addresses it has learnt',
		about: [],
		gives: ['mac'],
		may: ['port', 'address'],
		rows: true
	},
	counters: {
		words: 'the counters of its ports',
		about: [],
		gives: ['port'],
		may: ['state', 'speed', 'power', 'received', 'sent', 'errors'],
		rows: true
	},
	health: {
		words: 'how it does',
		about: [],
		gives: [],
		may: ['processor', 'memory', 'temperature', 'signal', 'clients', 'uptime']
	},
	tunnels: {
		words: 'its tunnels',
		about: [],
		gives: ['tunnel', 'state'],
		may: ['peer', 'since'],
		rows: true
	},
	routes: {
		words: 'its routes',
		about: [],
		gives: ['prefix'],
		may: ['via', 'next'],
		rows: true
	},
	clients: {
		words: 'how many addresses it has left for clients',
		about: [],
		gives: ['free'],
		may: ['name', 'first', 'last', 'used'],
		rows: true
	},
	name: { words: 'what a name stands for', about: ['host'], gives: ['address'] },
	clock: { words: 'what time it is', about: [], gives: ['time'] },
	reach: {
		words: 'whether it reaches an address',
		about: ['host'],
		gives: ['received'],
		may: ['sent', 'lost', 'milliseconds']
	},
	path: {
		words: 'which way its packets take',
		about: ['host'],
		gives: ['hop'],
		may: ['milliseconds'],
		rows: true
	}
} as const satisfies Readonly<Record<string, AskKind>>;
/** Whether a value of an answer says yes: `up`, `true`, `10`; one that is absent, or `no`, `false`, `down` or `0`, does not. */
export const saysYes = (value: string | undefined): boolean =>
	value !== undefined && !/^(?:|no|false|down|0)$/i.test(value.trim());

export type Ask = keyof typeof ASKS;
export const ASK_KINDS = Object.keys(ASKS) as readonly Ask[];
export const askKind = (ask: Ask): AskKind => ASKS[ask];
export const cannotBeAsked = (ask: Ask): string => `A unit of this model cannot be asked ${ASKS[ask].words}.`;

/** What may be filled into a command that asks: nothing that ends a line or begins another. */
const FORMS: Readonly<Record<Parameter, RegExp>> = {
	host: /^[A-Za-z0-9][A-Za-z0-9.:-]{0,252}$/
};
const PLACE = /\{([a-z]+)\}/g;

/** The names that a command leaves open. */
export const openIn = (command: string): readonly string[] =>
	[...command.matchAll(PLACE)].map(([, name]) => name!);

/** The command with what stands for its names; a name that is not given stays. */
export const fillIn = (command: string, given: Readonly<Partial<Record<string, string>>>): string =>
	command.replace(PLACE, (place, name: string) => (Object.hasOwn(given, name) ? given[name]! : place));

/** The command with what it asks about; null when that is no host, or is not given. */
export function filled(command: string, given: Readonly<Partial<Record<Parameter, string>>>): string | null {
	const isGiven = (name: string) =>
		Object.hasOwn(given, name) && FORMS[name as Parameter]?.test(given[name as Parameter]!) === true;
	return openIn(command).every(isGiven) ? fillIn(command, given) : null;
}
