import * as v from 'valibot';
import { cleanText } from '../text';

/**
 * The messages of RFC 8572 (secure zero-touch provisioning) over RESTCONF (RFC 8040), JSON as RFC 7951.
 * Every text a unit sends is bounded and cleaned here.
 */
const MODULE = 'ietf-sztp-bootstrap-server';
export const INPUT = `${MODULE}:input` as const;
export const OUTPUT = `${MODULE}:output` as const;
const CONVEYED = 'ietf-sztp-conveyed-info';

const shortText = v.pipe(v.string(), v.maxLength(256), v.transform(cleanText));
const BASE64 = /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/;
const base64 = (most: number) => v.pipe(v.string(), v.maxLength(most), v.regex(BASE64, 'not base64'));
/** RFC 7951 section 6.9: the empty type is [null]. */
const empty = v.tuple([v.null()]);

/** Of a longer message its beginning is kept: what a unit reports of an error is never refused for its length. */
const MOST_MESSAGE_CHARACTERS = 16_000;
export const LARGEST_REQUEST_BYTES = 1024 * 1024;
export const YANG_JSON = 'application/yang-data+json';

const message = v.pipe(
	v.string(),
	v.transform(cleanText),
	v.transform((text) =>
		text.length <= MOST_MESSAGE_CHARACTERS
			? text
			: `${text.slice(0, MOST_MESSAGE_CHARACTERS).toWellFormed()} (and ${text.length - MOST_MESSAGE_CHARACTERS} characters more)`
	)
);
/** RFC 8572 section 7.2: 16 to 32 octets. */
const nonce = v.pipe(
	base64(44),
	v.check((text) => {
		const octets = (text.length / 4) * 3 - (text.endsWith('==') ? 2 : text.endsWith('=') ? 1 : 0);
		return octets >= 16 && octets <= 32;
	}, 'not 16 to 32 octets')
);

/** RFC 8572 section 6.2, grouping of `report-progress`. */
export const PROGRESS_TYPES = [
	'bootstrap-initiated',
	'parsing-initiated', 'parsing-warning', 'parsing-error', 'parsing-complete',
	'boot-image-initiated', 'boot-image-warning', 'boot-image-error', 'boot-image-mismatch',
	'boot-image-installed-rebooting', 'boot-image-complete',
	'pre-script-initiated', 'pre-script-warning', 'pre-script-error', 'pre-script-complete',
	'config-initiated', 'config-warning', 'config-error', 'config-complete',
	'post-script-initiated', 'post-script-warning', 'post-script-error', 'post-script-complete',
	'bootstrap-warning', 'bootstrap-error', 'bootstrap-complete',
	'informational'
] as const; // prettier-ignore
export type ProgressType = (typeof PROGRESS_TYPES)[number];

export const getBootstrappingDataSchema = v.strictObject({
	[INPUT]: v.optional(
		v.strictObject({
			'signed-data-preferred': v.optional(empty),
			'hw-model': v.optional(shortText),
			'os-name': v.optional(shortText),
			'os-version': v.optional(shortText),
			nonce: v.optional(nonce)
		})
	)
});

const hostKey = v.strictObject({
	algorithm: v.pipe(v.string(), v.regex(/^[a-z0-9@.-]{1,64}$/)),
	'key-data': base64(4096)
});
export const reportProgressSchema = v.strictObject({
	[INPUT]: v.strictObject({
		'progress-type': v.picklist(PROGRESS_TYPES),
		message: v.optional(message),
		'ssh-host-keys': v.optional(
			v.strictObject({ 'ssh-host-key': v.optional(v.pipe(v.array(hostKey), v.maxLength(8))) })
		),
		'trust-anchor-certs': v.optional(
			v.strictObject({ 'trust-anchor-cert': v.optional(v.pipe(v.array(base64(16_384)), v.maxLength(8))) })
		)
	})
});
export type ReportProgress = v.InferOutput<typeof reportProgressSchema>[typeof INPUT];

export const bootstrappingDataSchema = v.object({
	[OUTPUT]: v.object({
		'reporting-level': v.optional(v.picklist(['minimal', 'verbose']), 'minimal'),
		'conveyed-information': v.string(),
		'owner-certificate': v.optional(v.string()),
		'ownership-voucher': v.optional(v.string())
	})
});

const bootImage = v.object({
	'os-name': v.optional(v.string()),
	'os-version': v.optional(v.string()),
	'download-uri': v.optional(v.array(v.string())),
	'image-verification': v.optional(
		v.array(
			v.object({
				'hash-algorithm': v.literal(`${CONVEYED}:sha-256`),
				'hash-value': v.pipe(v.string(), v.regex(/^[0-9a-f]{2}(:[0-9a-f]{2})*$/))
			})
		)
	)
});
const onboardingInformation = v.object({
	'boot-image': v.optional(bootImage),
	'configuration-handling': v.optional(v.picklist(['merge', 'replace'])),
	'pre-configuration-script': v.optional(v.string()),
	configuration: v.optional(v.string()),
	'post-configuration-script': v.optional(v.string())
});
const redirectInformation = v.object({
	'bootstrap-server': v.array(
		v.object({ address: v.string(), port: v.optional(v.number()), 'trust-anchor': v.optional(v.string()) })
	)
});

/** What is conveyed to a unit: where to go instead, or what to become. Exactly one of the two. */
export const conveyedInformationSchema = v.union([
	v.strictObject({ [`${CONVEYED}:onboarding-information` as const]: onboardingInformation }),
	v.strictObject({ [`${CONVEYED}:redirect-information` as const]: redirectInformation })
]);
export type ConveyedInformation = v.InferOutput<typeof conveyedInformationSchema>;
export type OnboardingInformation = v.InferOutput<typeof onboardingInformation>;
export const ONBOARDING = `${CONVEYED}:onboarding-information` as const;
export const REDIRECT = `${CONVEYED}:redirect-information` as const;

/**
 * RFC 8040 section 7: error tags and the status that goes with each; the first where it names several. `invalid-value` is
 * also that of 404 and 406, `access-denied` that of 403.
 */
export const ERROR_STATUS = {
	'invalid-value': 400,
	'malformed-message': 400,
	'missing-element': 400,
	'unknown-element': 400,
	'too-big': 413,
	'access-denied': 401,
	'resource-denied': 409,
	'operation-not-supported': 405,
	'operation-failed': 500
} as const;
export type ErrorTag = keyof typeof ERROR_STATUS;
export type ErrorType = 'transport' | 'rpc' | 'protocol' | 'application';

/** The error body of RFC 8040 section 7.1. */
export const errorBody = (type: ErrorType, tag: ErrorTag, message: string) => ({
	'ietf-restconf:errors': { error: [{ 'error-type': type, 'error-tag': tag, 'error-message': message }] }
});

/** The tag that fits what Valibot found first: a missing, an unknown or a wrong element. */
export function tagOfIssue(issue: { readonly type: string; readonly received: string }): ErrorTag {
	if (issue.type === 'strict_object')
		return issue.received === 'undefined' ? 'missing-element' : 'unknown-element';
	return 'invalid-value';
}

/** A hash as RFC 8572 writes it (yang:hex-string): octets in lower-case hexadecimal, joined by colons. */
export const hexString = (digest: Uint8Array): string =>
	Array.from(digest, (octet) => octet.toString(16).padStart(2, '0')).join(':');
