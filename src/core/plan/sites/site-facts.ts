import * as v from 'valibot';
import { UPLINK_KINDS } from '../../profile';

/** What is known of a site. One definition for the form, the sheet that sites are stamped from, and GeoJSON. */
const text = (most: number) =>
	v.pipe(
		v.string(),
		v.trim(),
		v.maxLength(most, `At most ${most} characters.`),
		v.check((given) => !given.includes('\0'), 'It holds a NUL character.')
	);
const degrees = (most: number, what: string) => {
	const words = `A ${what} is a number from −${most} to ${most}.`;
	return v.pipe(
		v.union([
			v.null(),
			v.number(),
			v.pipe(
				v.string(),
				v.trim(),
				// A comma for the point, as spreadsheets of many countries write it; a true minus sign
				v.transform((given) => (given === '' ? null : Number(given.replace(',', '.').replace('−', '-'))))
			)
		]),
		v.check((given) => given === null || (Number.isFinite(given) && Math.abs(given) <= most), words)
	);
};

const LONGEST_NAME = 120;

export const isTimeZone = (zone: string): boolean => {
	// The zones that PostgreSQL and every browser know; an offset such as +13:00 knows no daylight saving
	if (!/^[A-Za-z_]+(\/[A-Za-z0-9_+-]+)+$|^UTC$/.test(zone)) return false;
	try {
		return new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone !== '';
	} catch {
		return false;
	}
};

export const siteFactsSchema = v.object({
	name: v.pipe(text(LONGEST_NAME), v.minLength(1, 'A site has a name.')),
	street: text(200),
	locality: text(120),
	country: text(80),
	latitude: degrees(90, 'latitude'),
	longitude: degrees(180, 'longitude'),
	timeZone: v.pipe(text(60), v.check(isTimeZone, 'This is no time zone such as Pacific/Auckland.')),
	contact: text(120),
	phone: text(40),
	accessHours: text(500),
	directions: text(2000),
	uplink: v.pipe(
		v.string(),
		v.trim(),
		v.toLowerCase(),
		v.picklist(UPLINK_KINDS, 'An uplink is fibre, DSL or cellular.')
	),
	provider: text(120),
	circuit: text(120),
	sim: v.pipe(
		v.string(),
		v.transform((given) => given.replace(/[\s-]/g, '')),
		v.regex(/^(\d{18,20})?$/, 'A SIM card’s number (ICCID) has 18 to 20 digits.')
	),
	apn: v.pipe(
		text(100),
		v.regex(/^([A-Za-z0-9-]+(\.[A-Za-z0-9-]+)*)?$/, 'An access point name is like iot.example.')
	)
});
export type SiteFacts = v.InferOutput<typeof siteFactsSchema>;
export type FactName = keyof SiteFacts;
export const FACT_NAMES = Object.keys(siteFactsSchema.entries) as readonly FactName[];

/** What people call each fact: the heading of its column. */
export const FACT_HEADINGS: Readonly<Record<FactName, string>> = {
	name: 'site',
	street: 'street',
	locality: 'locality',
	country: 'country',
	latitude: 'latitude',
	longitude: 'longitude',
	timeZone: 'time zone',
	contact: 'contact',
	phone: 'phone',
	accessHours: 'access hours',
	directions: 'directions',
	uplink: 'uplink',
	provider: 'provider',
	circuit: 'circuit',
	sim: 'sim',
	apn: 'apn'
};

export type FactReading =
	| { readonly ok: true; readonly value: SiteFacts[FactName] }
	| { readonly ok: false; readonly message: string };

/** Reads one fact as it was typed. */
export function readFact(name: FactName, given: unknown): FactReading {
	const parsed = v.safeParse(siteFactsSchema.entries[name], given);
	return parsed.success
		? { ok: true, value: parsed.output }
		: { ok: false, message: parsed.issues[0].message };
}

/** A fact as it is typed. Law: reading it gives the same fact. */
export const writeFact = (value: SiteFacts[FactName]): string => (value === null ? '' : String(value));

/** What an unknown site has until somebody says more. */
export const factsFrom = (given: Partial<SiteFacts> & Pick<SiteFacts, 'name'>, like: Partial<SiteFacts>) => ({
	street: '',
	locality: '',
	country: like.country ?? '',
	latitude: null,
	longitude: null,
	timeZone: like.timeZone ?? 'UTC',
	contact: '',
	phone: '',
	accessHours: '',
	directions: '',
	uplink: like.uplink ?? ('fibre' as const),
	provider: like.provider ?? '',
	circuit: '',
	sim: '',
	apn: like.apn ?? '',
	...given
});
