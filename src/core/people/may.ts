/**
 * Who may do what, for whose network: the one table of capabilities, used by the server to refuse and by
 * the interface not to offer.
 */
export const DUTIES = ['technician', 'coordinator', 'engineer', 'auditor', 'reader'] as const;
export type Duty = (typeof DUTIES)[number];

/** What each duty is, in words for the person who gives it. */
export const DUTY_WORDS: Readonly<Record<Duty, string>> = {
	technician: 'on site: binds units and watches them come online',
	coordinator: 'claims, binds and chases what is stuck',
	engineer: 'all that a coordinator does, and profiles, firmware and secrets',
	auditor: 'reads everything, changes nothing',
	reader: 'the customer’s own: reads its sites and units'
};

/** Acts on one customer's things. */
export const CUSTOMER_ACTS = [
	'see',
	'see renderings',
	'see records',
	'claim',
	'bind',
	'unbind',
	'retry',
	'prove',
	'send',
	'correct claim code',
	'reveal secret',
	'set values',
	'plan sites',
	'plan addresses',
	'override stranding',
	'reach units',
	'send reports'
] as const;
/** Acts on what the whole firm shares. */
export const FIRM_ACTS = [
	'see profiles',
	'see images',
	'upload image',
	'edit profiles',
	'manage people',
	'manage tokens'
] as const;
export type CustomerAct = (typeof CUSTOMER_ACTS)[number];
export type FirmAct = (typeof FIRM_ACTS)[number];
export type PersonAct = CustomerAct | FirmAct;

const SEES: readonly PersonAct[] = ['see', 'see renderings', 'see records', 'see profiles', 'see images'];
const ON_SITE: readonly PersonAct[] = [...SEES, 'claim', 'bind', 'unbind', 'retry', 'prove'];
const DESK: readonly PersonAct[] = [
	...ON_SITE,
	'send',
	'send reports',
	'correct claim code',
	'plan sites',
	'set values',
	'plan addresses'
];
const CAPABILITIES: Readonly<Record<Duty, ReadonlySet<PersonAct>>> = {
	technician: new Set(ON_SITE),
	coordinator: new Set(DESK),
	engineer: new Set([
		...DESK,
		'reveal secret',
		'upload image',
		'edit profiles',
		'override stranding',
		'reach units'
	]),
	auditor: new Set(SEES),
	reader: new Set<PersonAct>(['see'])
};

/** A person as far as it matters for what they may do. */
export interface Capable {
	readonly administrator: boolean;
	/** The duty at each customer, by the customer's id. */
	readonly duties: Readonly<Record<string, Duty>>;
}

/**
 * Whether a person may do an act, by their duty at the customer named. `null` asks whether there is any
 * customer at whom they may: enough to look at what the firm shares, and to change of it what no customer
 * follows yet; what some follow is asked for at each of them.
 * Laws: an administrator may do every act; nobody may do any at a customer where they have no duty;
 * what an auditor or a reader may never changes anything.
 */
export function may(person: Capable, act: PersonAct, customerId: string | null = null): boolean {
	if (person.administrator) return true;
	if (customerId === null) return Object.values(person.duties).some((duty) => CAPABILITIES[duty].has(act));
	// Own keys only: nobody has a duty at a customer called “constructor”
	return Object.hasOwn(person.duties, customerId) && CAPABILITIES[person.duties[customerId]!].has(act);
}
