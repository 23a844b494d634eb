import { ObjectIdentifier } from 'asn1js';

/**
 * Writing DER (X.690) for what is written for every unit that calls: no object per value. Each value is a list of pieces
 * that follow each other, so that long content is copied once.
 */
export type Der = readonly Uint8Array[];

/** Identifier octets, X.690 section 8.1.2. */
const INTEGER = 0x02;
const OCTET_STRING = 0x04;
const UTC_TIME = 0x17;
const SEQUENCE = 0x30;
const SET = 0x31;
/** `[0]`, constructed. */
const CONTEXT_SPECIFIC_0 = 0xa0;

const lengthOf = (pieces: Der): number => pieces.reduce((sum, piece) => sum + piece.length, 0);

/** Identifier and definite length (X.690 section 8.1.3) before some octets. */
function headed(identifier: number, pieces: Der): Der {
	const length = lengthOf(pieces);
	const octets: number[] = [];
	for (let left = length; left > 0; left = Math.floor(left / 256)) octets.unshift(left % 256);
	const short = length < 128;
	return [
		Uint8Array.from([identifier, ...(short ? [length] : [0x80 | octets.length, ...octets])]),
		...pieces
	];
}

/** The pieces as they are sent. */
export function joined(pieces: Der): Uint8Array {
	const whole = new Uint8Array(lengthOf(pieces));
	let at = 0;
	for (const piece of pieces) {
		whole.set(piece, at);
		at += piece.length;
	}
	return whole;
}

export const sequence = (...values: readonly Der[]): Der => headed(SEQUENCE, values.flat());
export const octetString = (content: Uint8Array): Der => headed(OCTET_STRING, [content]);
/** `[0] EXPLICIT` of one value. */
export const explicit0 = (value: Der): Der => headed(CONTEXT_SPECIFIC_0, value);

/** SET OF, its members ascending by their octets (X.690 section 11.6). */
export const setOf = (...values: readonly Der[]): Der => headed(SET, ascending(values));
/** `[0] IMPLICIT` of a SET OF: the same with another identifier. */
export const implicitSet0 = (...values: readonly Der[]): Der => headed(CONTEXT_SPECIFIC_0, ascending(values));
const ascending = (values: readonly Der[]): Der => values.map(joined).sort(byOctets);
function byOctets(one: Uint8Array, other: Uint8Array): number {
	for (let at = 0; at < Math.min(one.length, other.length); at++)
		if (one[at] !== other[at]) return one[at]! - other[at]!;
	return one.length - other.length;
}

/** An INTEGER that is not negative: of a number below 128, or of octets with the highest first. */
export function integer(value: number | Uint8Array): Der {
	const octets = typeof value === 'number' ? Uint8Array.of(value) : value;
	let from = 0;
	while (from < octets.length - 1 && octets[from] === 0) from++;
	const bare = octets.subarray(from);
	return headed(INTEGER, bare[0]! < 0x80 ? [bare] : [Uint8Array.of(0), bare]);
}

/** A time until 2049, to the second. */
export const utcTime = (at: Date): Der =>
	headed(UTC_TIME, [
		new TextEncoder().encode(
			`${at
				.toISOString()
				.replace(/\.\d+|[-:T]/g, '')
				.slice(2, -1)}Z`
		)
	]);

/** Encoded identifiers: there are as many as standards name. */
const identifiers = new Map<string, Uint8Array>();
export function objectIdentifier(dotted: string): Der {
	let identifier = identifiers.get(dotted);
	if (!identifier) {
		identifier = new Uint8Array(new ObjectIdentifier({ value: dotted }).toBER());
		identifiers.set(dotted, identifier);
	}
	return [identifier];
}
