/**
 * EUI-48 (IEEE 802) in any of its written forms: `02-1A-…`, `02:1a:…`, `021a.2b3c.4d5e`, `021a2b-3c4d5e`,
 * or twelve hexadecimal digits.
 */
const FORMS = [
	/^[0-9a-f]{2}([:\- ])[0-9a-f]{2}(\1[0-9a-f]{2}){4}$/,
	/^[0-9a-f]{4}([.:\- ])[0-9a-f]{4}\1[0-9a-f]{4}$/,
	/^[0-9a-f]{6}[:\-. ][0-9a-f]{6}$/,
	/^[0-9a-f]{12}$/
];
const GROUP_BIT = 0x01;

/**
 * The address as lower-case octets joined by colons. Returns null for anything that is not an EUI-48,
 * for group (multicast and broadcast) addresses and for all zeros: none of them is a unit's own.
 * Law: reading a printed address gives the same address.
 */
export function readMac(text: string): string | null {
	const lower = text.trim().toLowerCase();
	if (!FORMS.some((form) => form.test(lower))) return null;
	const digits = lower.replace(/[^0-9a-f]/g, '');
	if (parseInt(digits.slice(0, 2), 16) & GROUP_BIT || /^0+$/.test(digits)) return null;
	return digits.replace(/(..)(?=.)/g, '$1:');
}

/** Whether the text is written as an address with separators, so that it can be nothing else. */
export const looksLikeMac = (text: string): boolean => /[:\-. ]/.test(text.trim()) && writtenAsMac(text);

/** Whether the text has the form of an EUI-48, acceptable as a unit's own or not. */
export const writtenAsMac = (text: string): boolean => {
	const lower = text.trim().toLowerCase();
	return FORMS.some((form) => form.test(lower));
};
