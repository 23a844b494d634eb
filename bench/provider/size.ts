/** How large a made-up provider is, and how much lies behind it. */
export interface Size {
	readonly customers: number;
	readonly sites: number;
	/** At each site one gateway, one switch, and access points for the rest. */
	readonly units: number;
	readonly events: number;
	readonly days: { readonly readings: number; readonly hours: number; readonly days: number };
}

/** About as large as the demo. */
export const OF_THE_DEMO: Size = {
	customers: 4,
	sites: 76,
	units: 380,
	events: 5_000,
	days: { readings: 2, hours: 30, days: 365 }
};
/** What Limen is made for at most; the history is kept as the settings say. */
export const WHOLE: Size = {
	customers: 60,
	sites: 10_000,
	units: 50_000,
	events: 5_000_000,
	days: { readings: 2, hours: 30, days: 365 }
};

/** The same, so many times as large, with so much of its figures’ history: for those who have less time, or room. */
export const scaled = (size: Size, share: number, history: number): Size => ({
	...size,
	customers: Math.max(1, Math.round(size.customers * share)),
	sites: Math.max(1, Math.round(size.sites * share)),
	units: Math.max(5, Math.round(size.units * share)),
	events: Math.round(size.events * share),
	days: {
		readings: Math.max(1, Math.round(size.days.readings * history)),
		hours: Math.max(1, Math.round(size.days.hours * history)),
		days: Math.max(1, Math.round(size.days.days * history))
	}
});
