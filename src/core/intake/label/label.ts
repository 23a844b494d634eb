import { readClaimCode } from './claim-code';
import { readMac, writtenAsMac } from './mac';
import { normalSerial, readSerial, type SerialModel } from './serial';

/** What the codes on a label say, told apart by what they are. */
export interface Label {
	readonly serial: string | null;
	readonly mac: string | null;
	readonly claimCode: string | null;
	/** What was read and is none of these, for a person to look at. */
	readonly rest: readonly string[];
}

/** Words that makers print before a value, inside the code as well: `S/N:`, `MAC=`, `CODE `. */
const NAMED: readonly [keyof Omit<Label, 'rest'>, RegExp][] = [
	['serial', /^(s\/?n|serial(\s*(number|no\.?|nr\.?))?)\s*[:=#]\s*/i],
	['mac', /^(mac(\s*address)?|eui(-48)?|ethernet)\s*[:=#]\s*/i],
	['claimCode', /^(claim(\s*code)?|code|key|activation(\s*code)?|cc)\s*[:=#]\s*/i]
];
const BETWEEN = /[;,|\n\r\t]+|(?<=[0-9A-Z]) +(?=[A-Z]{2,6}[:=])/i;

/**
 * Reads a label from the texts of its codes (Code 128, QR, Data Matrix), in any order; one code can hold
 * several values. A serial number is known by its model's pattern and check character, a MAC address by its
 * form, and a claim code by being neither.
 * Laws: the order of the codes does not change what is read; nothing is read twice.
 */
export function readLabel(codes: readonly string[], models: readonly SerialModel[]): Label {
	const found: { serial: string | null; mac: string | null; claimCode: string | null } = {
		serial: null,
		mac: null,
		claimCode: null
	};
	const rest: string[] = [];
	const unnamed: string[] = [];
	const pieces = [...new Set(codes.flatMap((code) => code.split(BETWEEN).map((piece) => piece.trim())))]
		.filter(Boolean)
		.sort();
	for (const piece of pieces) {
		const named = NAMED.find(([, word]) => word.test(piece));
		if (!named) {
			unnamed.push(piece);
			continue;
		}
		const [name, word] = named;
		const value = piece.replace(word, '');
		const read =
			name === 'mac' ? readMac(value) : name === 'claimCode' ? readClaimCode(value) : serialIn(value, models);
		if (read === null) rest.push(piece);
		else found[name] ??= read;
	}
	const left: string[] = [];
	for (const piece of unnamed) {
		const serial = serialIn(piece, models);
		const mac = serial ? null : readMac(piece);
		if (serial) found.serial ??= serial;
		else if (mac) found.mac ??= mac;
		else left.push(piece);
	}
	for (const piece of left) {
		const code = writtenAsMac(piece) ? null : readClaimCode(piece);
		if (code !== null && found.claimCode === null) found.claimCode = code;
		else rest.push(piece);
	}
	return { ...found, rest };
}

function serialIn(text: string, models: readonly SerialModel[]): string | null {
	const reading = readSerial(normalSerial(text), models);
	return reading.kind === 'match' ? reading.serial : null;
}

/** A label as a line of a list that intake reads. */
export const labelAsRow = ({ serial, mac, claimCode }: Label): string =>
	[serial, mac, claimCode].map((value) => value ?? '').join(',');
