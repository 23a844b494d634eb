import { readClaimCode } from './label/claim-code';
import { layoutOf, layoutSignature, type KnownNames, type Meaning } from './columns';
import { readLines, type Line } from './lines';
import { looksLikeMac, readMac, writtenAsMac } from './label/mac';
import {
	explainSerial,
	fittingModels,
	modelShapedLike,
	normalSerial,
	readSerial,
	type SerialModel,
	type SerialReading,
	type SerialRepair
} from './label/serial';
import { apartFromProse, headingFor } from './prose';

/** One row of a pasted list or file, read but not yet compared with what is already known. */
export interface IntakeRow {
	/** 1-based line of the pasted text on which the row begins. */
	readonly line: number;
	/** The row as it was given, to be handed back when it is bad. */
	readonly raw: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly claimCode: string | null;
	readonly modelId: string | null;
	/** The firmware that it comes with; null when the list does not say. */
	readonly version: string | null;
	/** Where it goes, by names; null when the list does not say. */
	readonly place: WantedPlace | null;
	/** Empty when the row is good. */
	readonly problems: readonly string[];
	readonly repairs: readonly SerialRepair[];
	/** All is well with it, but that no model known here has such serial numbers. */
	readonly isUnknownModel: boolean;
}

/**
 * Where a list says that a unit goes. A site and a position: it is bound there. A profile: to the next open
 * position that follows it, at the site if one is named. A site alone: it was shipped there.
 */
export interface WantedPlace {
	readonly site: string | null;
	readonly position: string | null;
	readonly profile: string | null;
}

export type IntakeReading =
	| {
			readonly ok: true;
			readonly rows: readonly IntakeRow[];
			/** The heading row as it was given: what comes back to be mended needs it again. */
			readonly heading: string | null;
			/** How its columns were read; null when each row was read by itself. */
			readonly layout: {
				readonly signature: string;
				readonly columns: readonly (Meaning | null)[];
				/** The rows above the first unit, which were not read as units. */
				readonly above: readonly string[];
			} | null;
			/** What stands around the units in a letter, such as a greeting, and was not read as rows. */
			readonly passedOver: readonly string[];
	  }
	| { readonly ok: false; readonly problem: string };

/** Larger than this is a paste by mistake: 10,000 rows with everything in them need half of it. */
export const LARGEST_TEXT = 900_000;
/** The same of a file, in bytes: a spreadsheet writes each letter in two, at the most. */
export const LARGEST_FILE = 2 * LARGEST_TEXT;
export const MOST_ROWS = 20_000;

/**
 * Reads units out of pasted text or a CSV file, with headings or none, columns in any order. What the
 * columns are about is found out (`layoutOf`), unless `chosen` says it: a meaning or null for each.
 * Rejects as a whole only what is not a list at all: too large, or not text.
 * Law: the order of the columns does not change what is read.
 */
export function readIntake(
	text: string,
	models: readonly SerialModel[],
	chosen: readonly (Meaning | null)[] | null = null,
	names?: KnownNames
): IntakeReading {
	if (text.length > LARGEST_TEXT)
		return {
			ok: false,
			problem: `That is ${text.length.toLocaleString('en')} characters; one batch takes ${LARGEST_TEXT.toLocaleString('en')} at most. Was something else on the clipboard? Nothing was taken in.`
		};
	// eslint-disable-next-line no-control-regex -- control characters are just what is looked for
	if (/[\x00-\x08\x0e-\x1f]/.test(text))
		return {
			ok: false,
			problem:
				'That is not text: it holds control characters. Save the sheet as CSV and try again. Nothing was taken in.'
		};
	const read = readLines(text);
	const { lines, delimiter } = read;
	if (lines.length > MOST_ROWS)
		return {
			ok: false,
			problem: `That has ${lines.length.toLocaleString('en')} rows; one batch takes ${MOST_ROWS.toLocaleString('en')} at most. Nothing was taken in.`
		};
	if (chosen && !chosen.includes('serial'))
		return { ok: false, problem: 'Say which column holds the serial numbers. Nothing was taken in.' };
	const layout = layoutOf(read, models, names);
	const columns = chosen ?? (layout?.heading ? layout.columns.map(({ meaning }) => meaning) : null);
	const reader = serialReader(models);
	if (!columns?.includes('serial')) {
		const { units, prose } = apartFromProse(lines);
		return {
			ok: true,
			rows: units.flatMap((line) => readLine(line, models, reader)),
			heading: null,
			layout: null,
			passedOver: prose.map(({ raw }) => raw)
		};
	}
	const rows = lines
		.slice(layout?.above.length ?? 0)
		.map((line) => readRow(line, byColumn(line.cells, columns), models, reader));
	return {
		ok: true,
		rows,
		heading: headingFor(columns, layout?.heading ?? null, delimiter),
		layout: layout && {
			signature: layoutSignature(layout),
			columns,
			above: layout.above.map(({ raw }) => raw)
		},
		passedOver: []
	};
}

interface Parts {
	readonly serial: string;
	readonly mac: string;
	readonly claim: string;
	readonly site?: string;
	readonly position?: string;
	readonly profile?: string;
	readonly firmware?: string;
}
type ReadSerial = (text: string) => SerialReading;

const byColumn = (row: readonly string[], columns: readonly (Meaning | null)[]): Parts => {
	const at = (column: Meaning) => row[columns.indexOf(column)] ?? '';
	return {
		serial: at('serial'),
		mac: at('mac'),
		claim: at('claim'),
		site: at('site'),
		position: at('position'),
		profile: at('profile'),
		firmware: at('firmware')
	};
};

/** A row without headings: each cell is told by what it is. A row of serials alone is as many rows. */
function readLine(line: Line, models: readonly SerialModel[], read: ReadSerial): IntakeRow[] {
	const given = line.cells.filter(Boolean);
	const fits = (word: string) => fittingModels(normalSerial(word), models).length > 0;
	const apart = given.flatMap((cell) => cell.split(/\s+/));
	const nearly = (word: string) =>
		fits(word) || modelShapedLike(normalSerial(word), models) !== undefined || repairable(read(word));
	// A cell that holds more than one thing, or several that hold one, is read word by word
	const pieces = given.length > 1 && given.some(fits) ? given : apart;
	const joined = joinGroups(pieces, fits);
	const words = joined.some(fits) ? joined : joinGroups(pieces, nearly);
	const serials = words.filter(fits);
	if (serials.length > 1 && serials.length === words.length)
		return serials.map((serial) =>
			readRow({ ...line, raw: serial }, { serial, mac: '', claim: '' }, models, read)
		);
	return [readRow(line, byContent(words, serials[0], read), models, read)];
}

const MOST_GROUPS = 8;
/** Groups of up to four characters that are one serial number, or nearly one, when they are put together. */
function joinGroups(words: readonly string[], isOne: (word: string) => boolean): string[] {
	const joined: string[] = [];
	for (let at = 0; at < words.length; at++) {
		let groups = 0;
		while (groups < MOST_GROUPS && /^[0-9A-Z]{1,4}$/i.test(words[at + groups] ?? '')) groups++;
		let taken = 1;
		for (let count = groups; count > 1; count--)
			if (isOne(words.slice(at, at + count).join(''))) {
				taken = count;
				break;
			}
		joined.push(words.slice(at, at + taken).join(''));
		at += taken - 1;
	}
	return joined;
}

function byContent(words: readonly string[], matched: string | undefined, read: ReadSerial): Parts {
	const rest = [...words];
	const take = (index: number) => (index < 0 ? '' : (rest.splice(index, 1)[0] ?? ''));
	const separated = take(rest.findIndex(looksLikeMac));
	const serial =
		matched !== undefined
			? take(rest.indexOf(matched))
			: take(
					Math.max(
						0,
						rest.findIndex((word) => repairable(read(word)))
					)
				);
	const mac = separated || take(rest.findIndex(writtenAsMac));
	const code = rest.findIndex((word) => readClaimCode(word) !== null && /\d/.test(word));
	const grouped = rest.filter((word) => /^[0-9A-Z]{4}$/i.test(word));
	// A code in groups of four is no word of its own
	const claim =
		code < 0 && grouped.length > 1
			? grouped.join('')
			: take(
					code >= 0
						? code
						: Math.max(
								0,
								rest.findIndex((word) => readClaimCode(word) !== null)
							)
				);
	return { serial, mac, claim };
}

const repairable = (reading: SerialReading) => reading.kind === 'no-match' && reading.repairs.length > 0;

function readRow(line: Line, parts: Parts, models: readonly SerialModel[], read: ReadSerial): IntakeRow {
	const problems: string[] = [];
	const reading = read(parts.serial);
	if (parts.serial === '') problems.push('There is no serial number in this row.');
	else if (reading.kind === 'no-match') problems.push(explainSerial(parts.serial, models));
	const mac = parts.mac === '' ? null : readMac(parts.mac);
	if (parts.mac !== '' && mac === null) problems.push(`“${shorten(parts.mac)}” is not a unit's MAC address.`);
	const claimCode = readClaimCode(parts.claim);
	if (parts.position && !parts.site) problems.push('Name the site of the position as well.');
	if (parts.claim === '') problems.push('The claim code is missing.');
	else if (claimCode === null)
		problems.push('The claim code has 8 to 32 letters and digits; this one does not.');
	return {
		line: line.line,
		raw: line.raw,
		serial: reading.serial.slice(0, 64),
		mac,
		claimCode,
		modelId: reading.kind === 'match' ? reading.modelIds[0]! : null,
		version: versionOf(parts.firmware),
		place: placeOf(parts),
		problems,
		repairs: reading.kind === 'no-match' ? reading.repairs : [],
		isUnknownModel:
			reading.kind === 'no-match' &&
			reading.repairs.length === 0 &&
			problems.length === 1 &&
			LIKE_A_SERIAL.test(reading.serial) &&
			// One whose check character alone is wrong is misread
			!modelShapedLike(reading.serial, models)
	};
}

/** What is none (`n/a`) says nothing: it is no reason to turn a unit away. */
const versionOf = (given = ''): string | null =>
	/^(?=.*\d)[0-9A-Za-z.+_-]{1,64}$/.test(given) ? given : null;

function placeOf({ site, position, profile }: Parts): WantedPlace | null {
	const name = (given: string | undefined) => given?.slice(0, LONGEST_NAME) || null;
	return site || profile ? { site: name(site), position: name(position), profile: name(profile) } : null;
}
const LONGEST_NAME = 200;
/** Letters and digits both: a number alone is more often a price or a date. */
const LIKE_A_SERIAL = /^(?=.*[0-9])(?=.*[A-Z])[0-9A-Z]{8,32}$/;

const shorten = (text: string) => (text.length > 40 ? `${text.slice(0, 40)}…` : text);

/** The same cell is asked about up to three times while a row is told apart; the answer is the same. */
function serialReader(models: readonly SerialModel[]): ReadSerial {
	let lastText: string | null = null;
	let last: SerialReading = { kind: 'no-match', serial: '', repairs: [] };
	return (text) => {
		if (text !== lastText) {
			last = readSerial(text, models);
			lastText = text;
		}
		return last;
	};
}
