import { Constructed, fromBER, ObjectIdentifier, OctetString, Sequence } from 'asn1js';
import { explicit0, joined, objectIdentifier, octetString, sequence } from '../trust';

/** id-ct-sztpConveyedInfoJSON, RFC 8572 section 10.5. */
export const CONVEYED_INFORMATION_JSON = '1.2.840.113549.1.9.16.1.43';

/** Wraps octets unsigned in a CMS ContentInfo (RFC 5652), DER-encoded, with an OCTET STRING as content. */
export function encodeContentInfo(contentType: string, content: Uint8Array): Uint8Array {
	return joined(sequence(objectIdentifier(contentType), explicit0(octetString(content))));
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
