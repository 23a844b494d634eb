import { MASK, secretPlaces } from '../profile';

/** A text without its secrets, and what stood in their places, in order. */
export interface Cut {
	readonly masked: string;
	readonly secrets: readonly string[];
}

/**
 * Cuts the secrets out of a configuration: what follows a word for one, and these values wherever they stand. What looks
 * like a mask already counts as one. Law: `withSecrets` gives the text back, to the letter.
 */
export function cutSecrets(text: string, values: readonly string[]): Cut {
	const known = values.filter((value) => value !== '' && value !== MASK);
	const marked = maskedBy(text, known);
	const secrets: string[] = [];
	let masked = '';
	let at = 0;
	for (const { from, to } of marked) {
		masked += text.slice(at, from) + MASK;
		secrets.push(text.slice(from, to));
		at = to;
	}
	return { masked: masked + text.slice(at), secrets };
}

interface Span {
	readonly from: number;
	readonly to: number;
}

/** The places of secrets from the first to the last; those that touch each other are one. */
function maskedBy(text: string, values: readonly string[]): readonly Span[] {
	const spans = [...secretPlaces(text), ...[MASK, ...values].flatMap((value) => spansOf(text, value))].sort(
		(a, b) => a.from - b.from || b.to - a.to
	);
	const joined: { from: number; to: number }[] = [];
	for (const { from, to } of spans) {
		const last = joined.at(-1);
		if (last && from <= last.to) last.to = Math.max(last.to, to);
		else joined.push({ from, to });
	}
	return joined;
}

function spansOf(text: string, value: string): Span[] {
	const found: Span[] = [];
	for (let at = text.indexOf(value); at >= 0; at = text.indexOf(value, at + value.length))
		found.push({ from: at, to: at + value.length });
	return found;
}

/** The text that was cut. Rejects nothing: masks without a secret stay. */
export function withSecrets({ masked, secrets }: Cut): string {
	let index = 0;
	return masked.replaceAll(MASK, () => secrets[index++] ?? MASK);
}
