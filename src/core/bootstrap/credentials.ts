/** RFC 7617, with bounds: a serial number as user, a claim code as password. */
const BASIC = /^Basic +([A-Za-z0-9+/]{2,200}={0,2})$/i;
const LONGEST_PART = 64;

export interface Credentials {
	readonly serial: string;
	readonly claimCode: string;
}

/** Reads an Authorization header. Returns null for anything but well-formed Basic credentials. */
export function readCredentials(header: string | null): Credentials | null {
	const encoded = header === null ? null : BASIC.exec(header);
	if (!encoded) return null;
	let text: string;
	try {
		text = atob(encoded[1]!);
	} catch {
		return null;
	}
	const colon = text.indexOf(':');
	const serial = text.slice(0, colon);
	const claimCode = text.slice(colon + 1);
	if (colon < 1 || serial.length > LONGEST_PART || claimCode.length > LONGEST_PART) return null;
	return /^[\x20-\x7e]+$/.test(serial) ? { serial, claimCode } : null;
}
