import {
	parseAddress,
	parseInterface,
	parsePrefix,
	printAddress,
	printInterface,
	printPrefix
} from '../../address';
import { readMac } from '../../intake';
import { durationSeconds } from './duration';
import { LONGEST_MATCHED } from './pattern';
import { patternInWords } from './pattern-words';
import { lookAlike } from './look-alikes';
import { type Plain, type Value } from './values';
import { patternOf, versionSaid, type Column, type FieldType, type SimpleType } from './field-types';

export type Reading<Read extends Value = Value> =
	{ readonly ok: true; readonly value: Read } | { readonly ok: false; readonly message: string };

const ok = <Read extends Value>(value: Read): Reading<Read> => ({ ok: true, value });
const no = (message: string): { readonly ok: false; readonly message: string } => ({ ok: false, message });

const HOSTNAME = /^(?!-)[A-Za-z0-9-]{1,63}(?<!-)$/;
export const MOST_IN_LIST = 200;
const LONGEST_TEXT = 4000;

/**
 * Reads what somebody typed, pasted or sent as a value of a type, and gives it its one canonical form.
 * Law: reading what `writeValue` wrote gives the same value. Rejects what is of another type with a
 * sentence for the person who gave it.
 */
export function readValue(type: FieldType, given: unknown): Reading {
	if (type.kind === 'list') return readList(type.of, given);
	if (type.kind === 'table') return readTable(type.columns, given);
	return readSimple(type, given);
}

function readSimple(type: SimpleType, given: unknown): Reading<Plain> {
	if (!['string', 'number', 'boolean', 'bigint'].includes(typeof given))
		return no('A single value is wanted here.');
	const text = type.kind === 'secret' || type.kind === 'text' ? String(given) : String(given).trim();
	if (text === '') return no('Nothing was given.');
	if (text.length > LONGEST_TEXT) return no(`A value has ${LONGEST_TEXT} characters at most.`);
	return READERS[type.kind](text, type as never);
}

type Reader<Kind extends SimpleType['kind']> = (
	text: string,
	type: Extract<SimpleType, { kind: Kind }>
) => Reading<Plain>;

const whole = (text: string, least: number, most: number, what: string): Reading<number> => {
	const number = /^-?\d{1,16}$/.test(text) ? Number(text) : NaN;
	return number >= least && number <= most
		? ok(number)
		: no(`${what} is a whole number from ${least} to ${most}, not “${text}”.`);
};

const READERS: { readonly [Kind in SimpleType['kind']]: Reader<Kind> } = {
	hostname: (text) => {
		if (HOSTNAME.test(text)) return ok(text.toLowerCase());
		const strange = lookAlike(text);
		return no(
			strange ??
				`“${text}” is no host name: letters a to z, digits and “-”, 63 at most, not beginning or ending with “-”.`
		);
	},
	address: (text, { version }) => {
		const read = parseAddress(text);
		return read && (!version || read.version === version)
			? ok(printAddress(read))
			: no(
					`“${text}” is no ${versionSaid(version)}address, such as ${version === 6 ? '2001:db8::1' : '192.0.2.1'}.`
				);
	},
	prefix: (text, { version }) => {
		const read = parsePrefix(text);
		if (read && (!version || read.version === version)) return ok(printPrefix(read));
		const inside = parseInterface(text);
		return no(
			inside && (!version || inside.version === version)
				? `“${text}” is an address inside the prefix ${printPrefix(inside)}.`
				: `“${text}” is no ${versionSaid(version)}prefix, such as ${version === 6 ? '2001:db8:0:1::/64' : '192.0.2.0/24'}.`
		);
	},
	'interface address': (text, { version }) => {
		const read = parseInterface(text);
		return read && (!version || read.version === version)
			? ok(printInterface(read))
			: no(
					`“${text}” is no ${versionSaid(version)}address with a length, such as ${version === 6 ? '2001:db8::1/64' : '192.0.2.1/24'}.`
				);
	},
	vlan: (text) => whole(text, 1, 4094, 'A VLAN'),
	asn: (text) => whole(text.replace(/^as/i, ''), 1, 4_294_967_295, 'An AS number'),
	number: (text, { least = Number.MIN_SAFE_INTEGER, most = Number.MAX_SAFE_INTEGER }) =>
		whole(text, least, most, 'This'),
	choice: (text, { choices }) => {
		const found = choices.find((choice) => choice.toLowerCase() === text.toLowerCase());
		return found === undefined ? no(`“${text}” is none of ${choices.join(', ')}.`) : ok(found);
	},
	'yes or no': (text) =>
		/^(yes|y|true|1)$/i.test(text)
			? ok(true)
			: /^(no|n|false|0)$/i.test(text)
				? ok(false)
				: no(`“${text}” is neither yes nor no.`),
	text: (text, { pattern }) => {
		const trimmed = text.trim();
		if (trimmed === '') return no('Nothing was given.');
		if (hasControls(trimmed)) return no('A text has no line breaks and no control characters.');
		return pattern === undefined || (trimmed.length <= LONGEST_MATCHED && patternOf(pattern).test(trimmed))
			? ok(trimmed)
			: no(lookAlike(trimmed) ?? `“${trimmed}” does not fit: it is ${patternInWords(pattern)}.`);
	},
	secret: (text, { shortest = 8 }) =>
		hasControls(text)
			? no('A secret has no line breaks and no control characters.')
			: text.length < shortest
				? no(`A secret here has ${shortest} characters or more.`)
				: ok(text),
	mac: (text) => {
		const read = readMac(text);
		return read ? ok(read) : no(`“${text}” is no MAC address, such as 02:00:5e:10:00:01.`);
	},
	url: (text) => {
		try {
			const { protocol, href, username } = new URL(text);
			if (!/^(https?|tftp|ftp|sftp):$/.test(protocol)) return no(`“${text}” is no address for downloading.`);
			return username ? no('A URL holds no login here: use a secret.') : ok(href);
		} catch {
			return no(`“${text}” is no URL, such as https://files.example/a.`);
		}
	},
	duration: (text) =>
		durationSeconds(text.toLowerCase()) === null
			? no(`“${text}” is no duration, such as 90s, 15m or 1h30m.`)
			: ok(text.toLowerCase())
};

/** Line breaks, control characters, and those that turn the direction of writing round. */
// eslint-disable-next-line no-control-regex -- they are what is looked for
const CONTROLS = /[\u0000-\u001f\u007f-\u009f\u200b-\u200f\u2028-\u202e\u2066-\u2069\ufeff]/;
const hasControls = (text: string) => CONTROLS.test(text);

function readList(of: SimpleType, given: unknown): Reading {
	const items: unknown[] = Array.isArray(given)
		? given
		: String(given)
				.split(/[,;\n]/)
				.filter((item) => item.trim() !== '');
	if (items.length === 0) return no('Nothing was given.');
	if (items.length > MOST_IN_LIST) return no(`A list has ${MOST_IN_LIST} items at most.`);
	const values: Plain[] = [];
	for (const [index, item] of items.entries()) {
		const read = readSimple(of, item);
		if (!read.ok) return no(`Item ${index + 1}: ${read.message}`);
		values.push(read.value);
	}
	return ok(values);
}

function readTable(columns: readonly Column[], given: unknown): Reading {
	const rows: unknown[] = Array.isArray(given)
		? given
		: String(given)
				.split(/[;\n]/)
				.filter((row) => row.trim() !== '')
				.map((row) => row.split(','));
	if (rows.length === 0) return no('Nothing was given.');
	if (rows.length > MOST_IN_LIST) return no(`A table has ${MOST_IN_LIST} rows at most.`);
	const values: Record<string, Plain>[] = [];
	for (const [index, row] of rows.entries()) {
		const read: Record<string, Plain> = {};
		for (const [at, { name, type }] of columns.entries()) {
			const cell: unknown = Array.isArray(row) ? row[at] : Object(row)[name];
			const reading = readSimple(type, cell ?? '');
			if (!reading.ok) return no(`Row ${index + 1}, ${name}: ${reading.message}`);
			read[name] = reading.value;
		}
		if (Array.isArray(row) && row.length > columns.length)
			return no(`Row ${index + 1} has ${row.length} cells; there are ${columns.length} columns.`);
		values.push(read);
	}
	return ok(values);
}

/** A value as people type it. */
export function writeValue(value: Value): string {
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	if (!Array.isArray(value)) return String(value);
	return (value as readonly (Plain | Readonly<Record<string, Plain>>)[])
		.map((item) =>
			typeof item === 'object' ? Object.values(item).map(writeValue).join(', ') : writeValue(item)
		)
		.join(value.some((item) => typeof item === 'object') ? '; ' : ', ');
}
