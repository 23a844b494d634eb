import * as v from 'valibot';
import { CONVEYED_INFORMATION_JSON, decodeContentInfo, encodeContentInfo } from './cms';
import {
	conveyedInformationSchema,
	ONBOARDING,
	REDIRECT,
	type ConveyedInformation,
	type OnboardingInformation
} from './messages';

/** What a unit is to become, in plain terms. */
export interface Onboarding {
	readonly image: {
		readonly osName: string;
		readonly version: string;
		readonly uri: string;
		/** As `hexString` writes it. */
		readonly sha256: string;
	} | null;
	readonly configuration: string;
	readonly preScript: string | null;
	readonly postScript: string | null;
}

/** What a unit is to become, as RFC 8572 conveys it. */
export function onboardingInformation(onboarding: Onboarding): ConveyedInformation {
	const information: OnboardingInformation = {
		...(onboarding.image && {
			'boot-image': {
				'os-name': onboarding.image.osName,
				'os-version': onboarding.image.version,
				'download-uri': [onboarding.image.uri],
				'image-verification': [
					{ 'hash-algorithm': 'ietf-sztp-conveyed-info:sha-256', 'hash-value': onboarding.image.sha256 }
				]
			}
		}),
		'configuration-handling': 'replace',
		...(onboarding.preScript !== null && { 'pre-configuration-script': toBase64(onboarding.preScript) }),
		configuration: toBase64(onboarding.configuration),
		...(onboarding.postScript !== null && { 'post-configuration-script': toBase64(onboarding.postScript) })
	};
	return { [ONBOARDING]: information };
}

/** Where a unit is to ask instead. `anchor`: base64 of CMS with the certificates by which it knows that server. */
export const redirectInformation = (address: string, port: number, anchor: string): ConveyedInformation => ({
	[REDIRECT]: { 'bootstrap-server': [{ address, port, 'trust-anchor': anchor }] }
});

/** Conveyed information as `get-bootstrapping-data` returns it: base64 of unsigned CMS. */
export const encodeConveyed = (information: ConveyedInformation): string =>
	bytesToBase64(
		encodeContentInfo(CONVEYED_INFORMATION_JSON, new TextEncoder().encode(JSON.stringify(information)))
	);

export type ConveyedReading =
	| { readonly ok: true; readonly information: ConveyedInformation }
	| { readonly ok: false; readonly problem: string };

/** Reads base64 of unsigned CMS conveyed information. Rejects signed data, XML and anything malformed. */
export function decodeConveyed(base64: string): ConveyedReading {
	let octets: Uint8Array;
	try {
		octets = Uint8Array.from(atob(base64), (character) => character.charCodeAt(0));
	} catch {
		return { ok: false, problem: 'not base64' };
	}
	const info = decodeContentInfo(octets);
	if (!info.ok) return info;
	if (info.contentType !== CONVEYED_INFORMATION_JSON)
		return {
			ok: false,
			problem: `content type ${info.contentType} is not unsigned conveyed information in JSON`
		};
	try {
		const parsed = v.safeParse(conveyedInformationSchema, JSON.parse(new TextDecoder().decode(info.content)));
		if (!parsed.success) return { ok: false, problem: parsed.issues[0].message };
		return { ok: true, information: parsed.output };
	} catch {
		return { ok: false, problem: 'not JSON' };
	}
}

/** UTF-8 text as base64, for scripts and configurations. */
export const toBase64 = (text: string): string => bytesToBase64(new TextEncoder().encode(text));

export const fromBase64 = (base64: string): string =>
	new TextDecoder().decode(Uint8Array.from(atob(base64), (character) => character.charCodeAt(0)));

function bytesToBase64(bytes: Uint8Array): string {
	let binary = '';
	// In slices: a call takes only so many arguments
	for (let from = 0; from < bytes.length; from += 8192)
		binary += String.fromCharCode.apply(null, bytes.subarray(from, from + 8192) as unknown as number[]);
	return btoa(binary);
}
