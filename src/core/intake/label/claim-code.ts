/** A claim code as printed: 8 to 32 letters and digits, in groups of four or not. */
const FORM = /^[0-9A-Z]{8,32}$/;

/**
 * The claim code as it is compared: upper case, without dashes and spaces.
 * Returns null when the text cannot be a claim code.
 */
export function readClaimCode(text: string): string | null {
	const normal = text.toUpperCase().replace(/[\s-]/g, '');
	return FORM.test(normal) ? normal : null;
}
