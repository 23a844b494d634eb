import { Constructed, fromBER, ObjectIdentifier, OctetString, Sequence } from 'asn1js';

/** id-ct-sztpConveyedInfoJSON, RFC 8572 section 10.5. */
export const CONVEYED_INFORMATION_JSON = '1.2.840.113549.1.9.16.1.43';

/** Wraps octets unsigned in a CMS ContentInfo (RFC 5652), DER-encoded, with an OCTET STRING as content. */
export function encodeContentInfo(contentType: string, content: Uint8Array): Uint8Array {
	const octets = headed(OCTET_STRING, [content]);
	const explicit = headed(CONTEXT_SPECIFIC_0, octets);
	return joined(headed(SEQUENCE, [identifierOf(contentType), ...explicit]));
}

/** Encoded content types: there are as many as RFC 8572 names. */
const identifiers = new Map<string, Uint8Array>();

function identifierOf(contentType: string): Uint8Array {
	let identifier = identifiers.get(contentType);
	if (!identifier) {
		identifier = new Uint8Array(new ObjectIdentifier({ value: contentType }).toBER());
		identifiers.set(contentType, identifier);
	}
	return identifier;
}

/** Identifier octets, X.690 section 8.1.2: universal OCTET STRING and SEQUENCE, and `[0]` constructed. */
const OCTET_STRING = 0x04;
const SEQUENCE = 0x30;
const CONTEXT_SPECIFIC_0 = 0xa0;

/** Identifier and definite length (X.690 section 8.1.3) before some octets. A unit's whole answer goes through here: no object per value. */
function headed(identifier: number, pieces: readonly Uint8Array[]): readonly Uint8Array[] {
	const length = pieces.reduce((sum, piece) => sum + piece.length, 0);
	const octets: number[] = [];
	for (let left = length; left > 0; left = Math.floor(left / 256)) octets.unshift(left % 256);
	const short = length < 128;
	return [
		Uint8Array.from([identifier, ...(short ? [length] : [0x80 | octets.length, ...octets])]),
		...pieces
	];
}

function joined(pieces: readonly Uint8Array[]): Uint8Array {
	const whole = new Uint8Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
	let at = 0;
	for (const piece of pieces) {
		whole.set(piece, at);
		at += piece.length;
	}
	return whole;
}

export type ContentInfoReading =
	| { readonly ok: true; readonly contentType: string; readonly content: Uint8Array }
	| { readonly ok: false; readonly problem: string };

/** Unwraps what `encodeContentInfo` wraps. Rejects other encodings and trailing octets. Law: decode∘encode is the identity. */
export function decodeContentInfo(encoded: Uint8Array): ContentInfoReading {
	const read = readBer(encoded);
	if (!read) return { ok: false, problem: 'not a value that can be read' };
	const { result, offset } = read;
	if (offset !== encoded.byteLength) return { ok: false, problem: 'not one DER value' };
	const [contentType, explicit] = result instanceof Sequence ? result.valueBlock.value : [];
	const content = explicit instanceof Constructed ? explicit.valueBlock.value[0] : undefined;
	if (!(contentType instanceof ObjectIdentifier) || !(content instanceof OctetString))
		return { ok: false, problem: 'not a ContentInfo with an OCTET STRING' };
	return {
		ok: true,
		contentType: contentType.valueBlock.toString(),
		content: new Uint8Array(content.getValue())
	};
}

/** asn1js answers most of what is wrong, and throws on some: an empty GeneralizedTime (24 0) for one. */
function readBer(encoded: Uint8Array): ReturnType<typeof fromBER> | null {
	try {
		return fromBER(ownBuffer(encoded));
	} catch {
		return null;
	}
}

/** asn1js wants an ArrayBuffer of exactly these octets. */
const ownBuffer = (octets: Uint8Array): ArrayBuffer => octets.slice().buffer as ArrayBuffer;
