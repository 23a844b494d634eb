import * as asn1js from 'asn1js';
import * as pkijs from 'pkijs';
import { buffer, engine, fromPem } from './octets';

/**
 * Revocation lists (RFC 5280 section 5), complete ones of one authority, as DER or PEM: of which certificates of its own
 * that authority says that they count no more, whatever time is written in them.
 */
export interface RevocationList {
	/** Which of the authorities it was read with has signed it. */
	readonly authority: number;
	/** Its number, in decimal; null for one without. */
	readonly number: string | null;
	readonly madeAt: Date;
	/** By when there is to be a newer one; null where it does not say. */
	readonly nextBy: Date | null;
	/** Serial numbers of certificates, in hexadecimal capitals without leading zeros. */
	readonly revoked: readonly string[];
}
export type RevocationReading =
	{ readonly ok: true; readonly list: RevocationList } | { readonly ok: false; readonly problem: string };

/** A list longer than this is not read. In octets. */
export const LONGEST_LIST = 2 * 1024 * 1024;
const CRL_NUMBER = '2.5.29.20';
const REASON = '2.5.29.21';
/** Of a list that is complete nothing else can be critical (delta, or parts by distribution point). */
const UNDERSTOOD = new Set([CRL_NUMBER, '2.5.29.35', REASON]);

/** Of a serial number, or a list's own: RFC 5280 has 20 octets. */
const LONGEST_NUMBER = 40;
/** Each entry is three of them, and more with extensions. */
const MOST_NODES = 1_000_000;

const refused = (problem: string) => ({ ok: false, problem }) as const;
const NONE = refused('It is no revocation list (PEM or DER).');

/** Reads a list that one of some authorities (DER) signed. Rejects what is none, partial ones, and those of anybody else. */
export async function readRevocationList(
	file: Uint8Array,
	authorities: readonly Uint8Array[]
): Promise<RevocationReading> {
	if (file.length > LONGEST_LIST) return refused(`A revocation list has at most ${LONGEST_LIST >> 20} MB.`);
	try {
		const der = isPem(file) ? fromPem(new TextDecoder('latin1').decode(file)) : file;
		const { result, offset } = asn1js.fromBER(buffer(der), { maxNodes: MOST_NODES });
		if (offset !== der.length) return NONE;
		const [signed, algorithm, signature] = inside(result);
		const parts = inside(signed);
		// The version is left out of the oldest kind
		const [, issuer, madeAt, ...rest] = parts[0] instanceof asn1js.Integer ? parts.slice(1) : parts;
		const nextBy = timeOf(rest[0]);
		const [entries, extensions] = nextBy ? rest.slice(1) : rest;
		const isListed = entries instanceof asn1js.Sequence;
		const revoked = isListed ? inside(entries).map(inside) : [];
		const all = extensionsIn(inside(isListed ? extensions : entries)[0]);
		const within = revoked.flatMap((entry) => extensionsIn(entry[2]));
		if ([...all, ...within].some(({ type, isCritical }) => isCritical && !UNDERSTOOD.has(type)))
			return refused('It is only a part of a list, or has something in it that is not understood.');
		if (!(signature instanceof asn1js.BitString) || !issuer || !timeOf(madeAt)) return NONE;
		const authority = await signerOf(
			{ signed: signed!, algorithm: new pkijs.AlgorithmIdentifier({ schema: algorithm }), signature, issuer },
			authorities
		);
		if (authority < 0) return refused('None of the maker’s authorities in its pack has signed it.');
		const number = all.find(({ type }) => type === CRL_NUMBER)?.value;
		return {
			ok: true,
			list: {
				authority,
				number:
					number instanceof asn1js.Integer && number.valueBlock.valueHexView.length <= LONGEST_NUMBER
						? number.toBigInt().toString()
						: null,
				madeAt: timeOf(madeAt)!,
				nextBy,
				revoked: revoked.map(([serial]) => serialOf(serial))
			}
		};
	} catch {
		return NONE;
	}
}

const isPem = (file: Uint8Array): boolean =>
	new TextDecoder('latin1').decode(file.subarray(0, 4096)).includes('-----BEGIN ');

type Value = asn1js.BaseBlock | undefined;
/** The values in a constructed one; none in any other. */
const inside = (value: Value): readonly asn1js.BaseBlock[] =>
	value instanceof asn1js.Constructed || value instanceof asn1js.Sequence ? value.valueBlock.value : [];
const timeOf = (value: Value): Date | null =>
	value instanceof asn1js.UTCTime || value instanceof asn1js.GeneralizedTime ? value.toDate() : null;

interface Extension {
	readonly type: string;
	readonly isCritical: boolean;
	readonly value: Value;
}
/** Extensions (RFC 5280 section 4.1): each an identifier, whether it is critical, and a value inside an OCTET STRING. */
const extensionsIn = (list: Value): readonly Extension[] =>
	inside(list).map((one) => {
		const [type, ...rest] = inside(one);
		const octets = rest.at(-1);
		if (!(type instanceof asn1js.ObjectIdentifier) || !(octets instanceof asn1js.OctetString))
			throw new Error('no extension');
		return {
			type: type.valueBlock.toString(),
			isCritical: rest[0] instanceof asn1js.Boolean && rest[0].valueBlock.value,
			value: asn1js.fromBER(octets.getValue()).result
		};
	});
function serialOf(value: Value): string {
	const octets = value instanceof asn1js.Integer ? value.valueBlock.valueHexView : null;
	if (!octets || octets.length > LONGEST_NUMBER) throw new Error('no serial number');
	return plainSerial(Array.from(octets, (octet) => octet.toString(16).padStart(2, '0')).join(''));
}

/** Which authority of the issuer's name has signed it; -1 for none. */
async function signerOf(
	list: {
		readonly signed: asn1js.BaseBlock;
		readonly algorithm: pkijs.AlgorithmIdentifier;
		readonly signature: asn1js.BitString;
		readonly issuer: asn1js.BaseBlock;
	},
	authorities: readonly Uint8Array[]
): Promise<number> {
	const issuer = new pkijs.RelativeDistinguishedNames({ schema: list.issuer });
	const data = buffer(list.signed.valueBeforeDecodeView);
	for (const [index, der] of authorities.entries()) {
		const { subject, subjectPublicKeyInfo } = pkijs.Certificate.fromBER(buffer(der));
		if (!subject.isEqual(issuer)) continue;
		const isTheirs = await engine
			.verifyWithPublicKey(data, list.signature, subjectPublicKeyInfo, list.algorithm)
			.catch(() => false);
		if (isTheirs) return index;
	}
	return -1;
}

/** A serial number as it is compared, of one in hexadecimal. */
export const plainSerial = (hexadecimal: string): string => hexadecimal.replace(/^0+(?=.)/, '').toUpperCase();
