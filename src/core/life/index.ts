/** What a unit's life is made of, in words for whoever chooses among them. */
export const LIFE_KINDS = {
	person: 'records',
	run: 'onboarding',
	place: 'where it was',
	changed: 'what it ran',
	send: 'what was sent',
	firmware: 'firmware',
	alert: 'alerts',
	away: 'when it was away',
	fact: 'what it is made of'
} as const;
export type LifeKind = keyof typeof LIFE_KINDS;
export const LIFE_KINDS_IN_ORDER = Object.keys(LIFE_KINDS) as LifeKind[];

/** One thing in a unit's life. */
export interface LifeEvent {
	readonly id: string;
	readonly at: Date;
	readonly kind: LifeKind;
	readonly title: string;
	readonly words: string;
	/** Who did it, where somebody did. */
	readonly by: string;
}

/** What a unit says of what it is made of, beside its configuration; kept with since when it is so. */
export const FACTS = {
	serial: 'serial number',
	model: 'model',
	mac: 'MAC address',
	memory: 'memory',
	modules: 'modules'
} as const;
export type Fact = keyof typeof FACTS;
export const FACTS_IN_ORDER = Object.keys(FACTS) as Fact[];

/** How many years what is known of a retired unit may be kept. */
export const [SHORTEST_TERM, LONGEST_TERM] = [1, 7];
