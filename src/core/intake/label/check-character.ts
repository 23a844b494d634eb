/**
 * Check characters of serial numbers: ISO/IEC 7064 hybrid systems.
 * "MOD 37,36" protects letters and digits, "MOD 11,10" protects digits alone. Both catch every
 * single wrong character and nearly every swap of neighbours.
 */
export const CHECK_SCHEMES = ['iso7064-mod-37-36', 'iso7064-mod-11-10', 'none'] as const;
export type CheckScheme = (typeof CHECK_SCHEMES)[number];

const ALPHABET = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';

/**
 * The check character that belongs after `body` (characters of the scheme's alphabet, upper case).
 * Returns '' for the scheme `none` and null when `body` holds a character outside the alphabet.
 */
export function checkCharacter(body: string, scheme: CheckScheme): string | null {
	if (scheme === 'none') return '';
	const modulus = scheme === 'iso7064-mod-37-36' ? 36 : 10;
	let product = modulus;
	for (const character of body) {
		const value = ALPHABET.indexOf(character);
		if (value < 0 || value >= modulus) return null;
		let sum = (product + value) % modulus;
		if (sum === 0) sum = modulus;
		product = (sum * 2) % (modulus + 1);
	}
	return ALPHABET[(modulus + 1 - product) % modulus] ?? null;
}

/** Whether the last character of `serial` is the check character of all before it. Always true for `none`. */
export function checkCharacterHolds(serial: string, scheme: CheckScheme): boolean {
	if (scheme === 'none') return true;
	return serial.length > 1 && checkCharacter(serial.slice(0, -1), scheme) === serial.at(-1);
}
