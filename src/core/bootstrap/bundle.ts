import { counted } from '../text';

/**
 * Removable storage (RFC 8572 section 4.1): one file for each artifact. The RFC leaves their names open. For one unit they lie
 * beside each other; for more, each unit's in a folder named by its serial number.
 */
export const BUNDLE_FILES = {
	'conveyed-information': 'conveyed-information.cms',
	'owner-certificate': 'owner-certificate.cms',
	'ownership-voucher': 'ownership-voucher.vcj'
} as const;
export const SHEET = 'read-me-first.txt';

/** `ask`: where to ask, and by which certificate that server is known. `all`: all that the unit is to become. */
export const BUNDLE_KINDS = ['ask', 'all'] as const;
export type BundleKind = (typeof BUNDLE_KINDS)[number];

export interface BundledUnit {
	readonly serial: string;
	readonly place: string;
	/** When its voucher ends. */
	readonly goodUntil: Date;
}

export const folderOf = (serial: string, units: number): string => (units === 1 ? '' : `${serial}/`);

const day = (date: Date): string => date.toISOString().slice(0, 10);

/** What to do with a bundle, in plain words for whoever carries it. Lines end as Windows has them, for any reader. */
export function bundleSheet(
	kind: BundleKind,
	units: readonly BundledUnit[],
	{ by, at, server }: { readonly by: string; readonly at: Date; readonly server: string }
): string {
	const isOne = units.length === 1;
	const lines = [
		`Files for ${counted(units.length, 'factory-new unit')}, made on ${day(at)} by ${by}`,
		'',
		...units.map(({ serial, place, goodUntil }) => `${serial}  ${place}  (good until ${day(goodUntil)})`),
		'',
		'What to do',
		'1. Copy all of this, as it is, to an empty USB stick.',
		isOne
			? '2. Put it into the unit, and give the unit power.'
			: '2. Put it into one unit after another, and give each power: it finds its own folder.',
		'3. Leave it in until its lights say that it works, then take it out.',
		'',
		...(kind === 'ask'
			? [
					`The unit is told to ask ${server}, and how to know that server. It needs a way there: an address, and no firewall in between.`,
					'There is no secret in these files.'
				]
			: [
					'The unit is told all that it is to become. Where that needs other firmware, it fetches it first. It dials home when it is done.',
					'It then shows a key that Limen has not seen: at the door under Arrivals somebody says which unit it is, once its console shows the same SHA-256 fingerprint.',
					'THESE FILES HOLD PASSWORDS. Erase the stick when you are done.'
				]),
		'',
		'The files are signed. A unit takes only those made for it, and none that somebody has changed.'
	];
	return `${lines.join('\r\n')}\r\n`;
}
