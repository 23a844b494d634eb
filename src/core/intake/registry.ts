import * as v from 'valibot';

/**
 * What Limen and a maker's registry say to each other: JSON over HTTP, many units at a time. A registry
 * knows what was made, whose each unit is, and where it is sent when it first calls.
 *
 *   POST /claims    what is ours, with claim codes, and the bootstrap server it shall be sent to
 *   POST /releases  what is not ours any more
 *   POST /vouchers  a voucher (RFC 8366) for each of these that is ours, pinning a certificate; 404 where none are given
 *   GET  /units/SERIAL
 *
 * Asking the same again does no harm: what is ours already is said to be.
 */
export const MOST_IN_REQUEST = 200;

/** What a registry can answer of one unit. `pending` has been taken and is not decided yet: ask again later. */
export const REGISTRY_RESULTS = [
	'claimed',
	'yours',
	'other-account',
	'unknown',
	'wrong-code',
	'pending'
] as const;
export type RegistryResult = (typeof REGISTRY_RESULTS)[number];

const BASE64 = /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/;
const base64 = (most: number) => v.pipe(v.string(), v.maxLength(most), v.regex(BASE64, 'not base64'));
const serial = v.pipe(v.string(), v.regex(/^[0-9A-Z]{6,32}$/));
export const claimsRequestSchema = v.object({
	account: v.pipe(v.string(), v.minLength(1), v.maxLength(100)),
	/** Where its units are sent when they first call: `https://host:port`. */
	bootstrapServer: v.pipe(v.string(), v.maxLength(300)),
	/** By which they know that server: CMS with its certificates (RFC 8572). */
	trustAnchor: v.optional(base64(65_536)),
	units: v.pipe(
		v.array(
			v.object({ serial, mac: v.nullable(v.string()), claimCode: v.pipe(v.string(), v.maxLength(64)) })
		),
		v.minLength(1),
		v.maxLength(MOST_IN_REQUEST)
	)
});
export type ClaimsRequest = v.InferOutput<typeof claimsRequestSchema>;
export const claimsAnswerSchema = v.object({
	units: v.pipe(
		v.array(v.object({ serial, result: v.picklist(REGISTRY_RESULTS) })),
		v.maxLength(MOST_IN_REQUEST)
	)
});
export type ClaimsAnswer = v.InferOutput<typeof claimsAnswerSchema>;
export const releasesRequestSchema = v.object({
	account: v.string(),
	units: v.pipe(v.array(v.object({ serial })), v.maxLength(MOST_IN_REQUEST))
});
export type ReleasesRequest = v.InferOutput<typeof releasesRequestSchema>;

/** Vouchers are asked for fewer at a time: each is signed. */
export const MOST_VOUCHERS = 50;
export const vouchersRequestSchema = v.object({
	account: v.pipe(v.string(), v.minLength(1), v.maxLength(100)),
	/** The owner's certificate, DER. */
	pinned: base64(16_384),
	units: v.pipe(
		v.array(
			v.object({
				serial,
				/** Of a unit without a clock, which asks just now. */
				nonce: v.optional(base64(44))
			})
		),
		v.minLength(1),
		v.maxLength(MOST_VOUCHERS)
	)
});
export type VouchersRequest = v.InferOutput<typeof vouchersRequestSchema>;
export const vouchersAnswerSchema = v.object({
	units: v.pipe(
		v.array(
			v.object({
				serial,
				/** CMS, DER; null where none is given. */
				voucher: v.nullable(base64(90_000))
			})
		),
		v.maxLength(MOST_VOUCHERS)
	)
});
export type VouchersAnswer = v.InferOutput<typeof vouchersAnswerSchema>;

/** Why a registry refused, for people; null when it said that it did not. What is not known is no confirmation. */
export function refusalWords(result: RegistryResult, maker: string): string | null {
	switch (result) {
		case 'other-account':
			return `${maker}’s registry says it belongs to another account. Its owner must release it first.`;
		case 'unknown':
			return `${maker}’s registry does not know this serial number. Look at the label again.`;
		case 'wrong-code':
			return `${maker}’s registry refuses the claim code. Look at the label again.`;
		case 'claimed':
		case 'yours':
		case 'pending':
			return null;
		default:
			return `${maker}’s registry answers in words that are not known here. Ask ${maker}.`;
	}
}

const FIRST_PAUSE_SECONDS = 2;
const LONGEST_PAUSE_SECONDS = 10 * 60;

/**
 * How long to leave a registry alone, in seconds, after so many failures one after the other; what it asks
 * for itself (`Retry-After`) counts when it is longer.
 * Laws: never shorter after more failures; never longer than ten minutes unless the registry asks for it.
 */
export const pauseAfter = (failures: number, asked: number | null = null): number =>
	Math.max(
		Math.min(LONGEST_PAUSE_SECONDS, FIRST_PAUSE_SECONDS * 2 ** Math.max(0, Math.min(failures, 30) - 1)),
		asked ?? 0
	);

const LONGEST_ASKED_SECONDS = 24 * 3600;
/** `Retry-After` (RFC 9110 section 10.2.3) in seconds: a number, or an HTTP date seen from `now`. Null when it says nothing. */
export function readRetryAfter(header: string | null, now: number): number | null {
	if (header === null || header.trim() === '') return null;
	const seconds = /^\d{1,9}$/.test(header.trim()) ? Number(header) : (Date.parse(header) - now) / 1000;
	return Number.isFinite(seconds) ? Math.min(LONGEST_ASKED_SECONDS, Math.max(0, Math.ceil(seconds))) : null;
}
