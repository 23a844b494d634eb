import * as v from 'valibot';

/**
 * Ownership vouchers (RFC 8366): a maker says whose a unit is, by pinning a certificate of its owner's. JSON (RFC 7951) as
 * the content of CMS that the maker signed.
 */
export const VOUCHER_JSON = '1.2.840.113549.1.9.16.1.40';
const MODULE = 'ietf-voucher:voucher';

const BASE64 = /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/;
const base64 = (most: number) => v.pipe(v.string(), v.maxLength(most), v.regex(BASE64, 'not base64'));
const instant = v.pipe(
	v.string(),
	v.maxLength(40),
	v.regex(/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)$/, 'not a date and time'),
	v.transform((text) => new Date(text)),
	v.check((date) => !Number.isNaN(date.getTime()), 'not a date and time')
);
const voucherSchema = v.pipe(
	v.object({
		'created-on': instant,
		'expires-on': v.optional(instant),
		assertion: v.picklist(['verified', 'logged', 'proximity']),
		'serial-number': v.pipe(v.string(), v.minLength(1), v.maxLength(64)),
		'idevid-issuer': v.optional(base64(200)),
		'pinned-domain-cert': base64(16_384),
		'domain-cert-revocation-checks': v.optional(v.boolean(), false),
		nonce: v.optional(base64(44)),
		'last-renewal-date': v.optional(instant)
	}),
	v.check(
		(voucher) => (voucher.nonce === undefined) !== (voucher['expires-on'] === undefined),
		'either a nonce or an end'
	)
);
export interface Voucher {
	readonly serial: string;
	readonly createdOn: Date;
	/** Null for one that is good once, for the nonce in it. */
	readonly expiresOn: Date | null;
	/** Base64, as it was asked with. */
	readonly nonce: string | null;
	/** DER. */
	readonly pinned: Uint8Array;
}
export type VoucherReading =
	{ readonly ok: true; readonly voucher: Voucher } | { readonly ok: false; readonly problem: string };

const toBase64 = (octets: Uint8Array): string => btoa(String.fromCharCode(...octets));

/** A voucher's content, to be signed. `assertion`: how sure the maker is. */
export const writeVoucher = (
	{ serial, createdOn, expiresOn, nonce, pinned }: Voucher,
	assertion: 'verified' | 'logged' | 'proximity' = 'verified'
): Uint8Array =>
	new TextEncoder().encode(
		JSON.stringify({
			[MODULE]: {
				'created-on': createdOn.toISOString(),
				...(expiresOn && { 'expires-on': expiresOn.toISOString() }),
				assertion,
				'serial-number': serial,
				'pinned-domain-cert': toBase64(pinned),
				'domain-cert-revocation-checks': false,
				...(nonce !== null && { nonce })
			}
		})
	);

/** Reads a voucher's content. Rejects what is no voucher, and one with a nonce and an end, or with neither. */
export function readVoucher(content: Uint8Array): VoucherReading {
	let json: unknown;
	try {
		json = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(content));
	} catch {
		return { ok: false, problem: 'It is not JSON.' };
	}
	const read = v.safeParse(v.strictObject({ [MODULE]: voucherSchema }), json);
	if (!read.success) {
		const [issue] = read.issues;
		return { ok: false, problem: `${v.getDotPath(issue) ?? 'It'}: ${issue.message}`.slice(0, 300) };
	}
	const given = read.output[MODULE]!;
	return {
		ok: true,
		voucher: {
			serial: given['serial-number'],
			createdOn: given['created-on'],
			expiresOn: given['expires-on'] ?? null,
			nonce: given.nonce ?? null,
			pinned: Uint8Array.from(atob(given['pinned-domain-cert']), (character) => character.charCodeAt(0))
		}
	};
}

/** A clock that is so far behind the maker's does not make a voucher one of the future. */
const CLOCKS_APART_MS = 24 * 3_600_000;

/**
 * Why a voucher does not say whose this unit is; null when it does. A unit with a trusted clock (`now`) takes one that has
 * not ended; one without takes only one with the nonce that it has just sent.
 */
export function voucherProblem(
	voucher: Voucher,
	{
		serial,
		now,
		nonce
	}: { readonly serial: string; readonly now: Date | null; readonly nonce: string | null }
): string | null {
	if (voucher.serial !== serial) return `It is for ${voucher.serial.slice(0, 40)}.`;
	if (voucher.nonce !== null)
		return voucher.nonce === nonce ? null : 'Its nonce is not the one that was sent.';
	if (now === null) return 'Without a clock it cannot be known whether it has ended.';
	if (voucher.expiresOn! <= voucher.createdOn) return 'It ends before it begins.';
	if (voucher.expiresOn! <= now) return `It ended on ${voucher.expiresOn!.toISOString()}.`;
	return voucher.createdOn.getTime() > now.getTime() + CLOCKS_APART_MS ? 'It is of the future.' : null;
}
