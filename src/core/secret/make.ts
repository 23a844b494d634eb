/** How the secrets that a maker's models take are made: so many characters, out of these. */
export interface SecretForm {
	readonly length: number;
	readonly alphabet: string;
}

/** Characters that nobody takes for others on paper or over the telephone, and that no configuration has a meaning for. */
export const USUAL_FORM: SecretForm = { length: 24, alphabet: 'abcdefghjkmnpqrstuvwxyz23456789' };
/** Taken for one another: zero and O, one and l and I. */
export const LOOK_ALIKES = '0Oo1lI';
/** What is guessed at no rate that matters. */
const LEAST_BITS = 80;

/**
 * The one form that suits all places a secret is held in: the characters that each of them takes, as many as the shortest
 * allows; look-alikes are left out. Null when that would be too easy to guess.
 */
export function commonForm(forms: readonly SecretForm[]): SecretForm | null {
	const [first = USUAL_FORM, ...others] = forms;
	const alphabet = [...new Set(first.alphabet)]
		.filter((one) => !LOOK_ALIKES.includes(one) && others.every((form) => form.alphabet.includes(one)))
		.join('');
	const length = others.reduce((least, form) => Math.min(least, form.length), first.length);
	return length * Math.log2(Math.max(1, alphabet.length)) < LEAST_BITS ? null : { length, alphabet };
}

/**
 * A secret of a form, each character as likely as any other. `random`: so many bytes that nobody can foretell. Bytes that
 * would favour the first characters are thrown away.
 */
export function makeSecret({ length, alphabet }: SecretForm, random: (bytes: number) => Uint8Array): string {
	const fair = 256 - (256 % alphabet.length);
	let made = '';
	while (made.length < length)
		for (const byte of random(2 * length))
			if (byte < fair && made.length < length) made += alphabet[byte % alphabet.length];
	return made;
}
