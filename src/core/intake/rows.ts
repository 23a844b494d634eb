import Papa from 'papaparse';
import { readClaimCode } from './claim-code';
import { looksLikeMac, readMac, writtenAsMac } from './mac';
import {
	explainSerial,
	fittingModels,
	normalSerial,
	readSerial,
	type SerialModel,
	type SerialReading,
	type SerialRepair
} from './serial';

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
	/** Where it is to be bound on the way in, by the names of its site and position; null when the list does not say. */
	readonly place: { readonly site: string; readonly position: string } | null;
	/** Empty when the row is good. */
	readonly problems: readonly string[];
	readonly repairs: readonly SerialRepair[];
	/** All is well with it, but that no model known here has such serial numbers. */
	readonly isUnknownModel: boolean;
}

export type IntakeReading =
	| {
			readonly ok: true;
			readonly rows: readonly IntakeRow[];
			/** The heading row as it was given: what comes back to be mended needs it again. */
			readonly heading: string | null;
	  }
	| { readonly ok: false; readonly problem: string };

/** Larger than this is a paste by mistake: 10,000 rows with everything in them need half of it. */
export const LARGEST_TEXT = 900_000;
export const MOST_ROWS = 20_000;

type Column = 'serial' | 'mac' | 'claim' | 'site' | 'position';
const HEADINGS: readonly [Column, RegExp][] = [
	['mac', /^(mac|mac ?address|eui|eui-?48|hardware ?address|ethernet( ?address)?)$/],
	['claim', /^(claim|claim ?code|code|key|secret|activation( ?code)?)$/],
	['site', /^(site|site ?name|branch|location|shop|clinic)$/],
	['position', /^(position|position ?name|place)$/],
	['serial', /^(serial|serial ?(number|no\.?|nr\.?)|s\/?n|sn)$/]
];

/**
 * Reads units out of pasted text or a CSV file (RFC 4180, also with `;`, tab or spaces, BOM, CRLF or LF,
 * with or without a heading row, columns in any order).
 * Rejects as a whole only what is not a list at all: too large, or not text.
 * Law: the order of the columns does not change what is read.
 */
export function readIntake(text: string, models: readonly SerialModel[]): IntakeReading {
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
	const lines = cells(text.replace(/^\uFEFF/, ''));
	if (lines.length > MOST_ROWS)
		return {
			ok: false,
			problem: `That has ${lines.length.toLocaleString('en')} rows; one batch takes ${MOST_ROWS.toLocaleString('en')} at most. Nothing was taken in.`
		};
	const headings = lines[0] ? readHeadings(lines[0].cells) : null;
	const reader = serialReader(models);
	const rows = (headings ? lines.slice(1) : lines).flatMap((line) =>
		headings
			? [readRow(line, byHeading(line.cells, headings), models, reader)]
			: readLine(line, models, reader)
	);
	return { ok: true, rows, heading: headings ? lines[0]!.raw : null };
}

interface Line {
	readonly line: number;
	readonly raw: string;
	readonly cells: readonly string[];
}
interface Parts {
	readonly serial: string;
	readonly mac: string;
	readonly claim: string;
	readonly site?: string;
	readonly position?: string;
}
type ReadSerial = (text: string) => SerialReading;

function cells(text: string): Line[] {
	const delimiter = mainDelimiter(text);
	const lines: Line[] = [];
	if (delimiter === null) {
		text.split(/\r\n|\r|\n/).forEach((raw, index) => {
			const found = raw.trim().split(/\s+/).filter(Boolean);
			if (/[^\s,;]/.test(raw)) lines.push({ line: index + 1, raw: raw.trim(), cells: found });
		});
		return lines;
	}
	let line = 1;
	let from = 0;
	Papa.parse<string[]>(text, {
		delimiter,
		step: ({ data, meta }) => {
			// `raw` is cut from the text itself, so that a bad row goes back exactly as it came
			const raw = text.slice(from, meta.cursor);
			const found = data.map((cell) => cell.trim());
			if (/[^\s,;]/.test(raw)) lines.push({ line, raw: raw.trim(), cells: found });
			for (let i = 0; i < raw.length; i++) if (raw[i] === '\n') line++;
			from = meta.cursor;
		}
	});
	return lines;
}

/** Tab, semicolon or comma, whichever the first lines hold most of; null when they hold none. */
function mainDelimiter(text: string): string | null {
	const head = text.slice(0, 4000);
	const counts = ['\t', ';', ','].map((delimiter) => [delimiter, head.split(delimiter).length - 1] as const);
	const [best] = counts.sort((a, b) => b[1] - a[1]);
	return best && best[1] > 0 ? best[0] : null;
}

function readHeadings(row: readonly string[]): (Column | null)[] | null {
	const found = row.map((cell) => {
		const plain = cell
			.toLowerCase()
			.replace(/[_\s]+/g, ' ')
			.trim();
		return HEADINGS.find(([, form]) => form.test(plain))?.[0] ?? null;
	});
	return found.includes('serial') ? found : null;
}

const byHeading = (row: readonly string[], headings: readonly (Column | null)[]): Parts => {
	const at = (column: Column) => row[headings.indexOf(column)] ?? '';
	return {
		serial: at('serial'),
		mac: at('mac'),
		claim: at('claim'),
		site: at('site'),
		position: at('position')
	};
};

/** A row without headings: each cell is told by what it is. A row of serials alone is as many rows. */
function readLine(line: Line, models: readonly SerialModel[], read: ReadSerial): IntakeRow[] {
	const given = line.cells.filter(Boolean);
	const words = given.length === 1 ? given[0]!.split(/\s+/) : given;
	const serials = words.filter((word) => fittingModels(normalSerial(word), models).length > 0);
	if (serials.length > 1 && serials.length === words.length)
		return serials.map((serial) =>
			readRow({ ...line, raw: serial }, { serial, mac: '', claim: '' }, models, read)
		);
	return [readRow(line, byContent(words, serials[0], read), models, read)];
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
	const claim = take(
		Math.max(
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
	if (!!parts.site !== !!parts.position)
		problems.push('To bind it on the way in, name both the site and the position, or neither.');
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
		place: placeOf(parts),
		problems,
		repairs: reading.kind === 'no-match' ? reading.repairs : [],
		isUnknownModel:
			reading.kind === 'no-match' &&
			reading.repairs.length === 0 &&
			problems.length === 1 &&
			LIKE_A_SERIAL.test(reading.serial)
	};
}

const placeOf = ({ site, position }: Parts): IntakeRow['place'] =>
	site && position ? { site: site.slice(0, LONGEST_NAME), position: position.slice(0, LONGEST_NAME) } : null;
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
