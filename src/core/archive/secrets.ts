import { MASK, secretPlaces, type Unshown } from '../profile';

/** A text without its secrets, and what stood in their places, in order. */
export interface Cut {
	readonly masked: string;
	readonly secrets: readonly string[];
}

/**
 * Cuts out of a configuration what must not be shown of it, and what follows a word for a secret. What looks like a mask
 * already counts as a secret. Law: `withSecrets` gives the text back, to the letter.
 */
export function cutSecrets(text: string, { values, leads }: Unshown): Cut {
	const known = values.filter((value) => value !== '' && value !== MASK);
	const secrets: string[] = [];
	let masked = '';
	let at = 0;
	for (const { from, to } of secretPlaces(text, { values: [MASK, ...known], leads })) {
		masked += text.slice(at, from) + MASK;
		secrets.push(text.slice(from, to));
		at = to;
	}
	return { masked: masked + text.slice(at), secrets };
}

/** The text that was cut. Rejects nothing: masks without a secret stay. */
export function withSecrets({ masked, secrets }: Cut): string {
	let index = 0;
	return masked.replaceAll(MASK, () => secrets[index++] ?? MASK);
}
