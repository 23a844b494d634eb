import { ledTo, type Lead } from './leads';
import { MASK, namedPlaces, type Span } from './secret-words';

/** What must not be shown of a text. */
export interface Unshown {
	/** Wherever they stand; none is empty. */
	readonly values: readonly string[];
	/** What follows them is secret, whatever it is: one that was set by hand, or that is not the present one. */
	readonly leads: readonly Lead[];
}
export const NOTHING_UNSHOWN: Unshown = { values: [], leads: [] };

/** Where the secrets of a text stand, from the first to the last; those that touch each other are one. */
export function secretPlaces(text: string, { values, leads }: Unshown = NOTHING_UNSHOWN): readonly Span[] {
	const spans = [
		...namedPlaces(text),
		...ledTo(text, leads),
		...values.flatMap((value) => placesOf(text, value))
	].sort((a, b) => a.from - b.from || b.to - a.to);
	const joined: { from: number; to: number }[] = [];
	for (const { from, to } of spans) {
		const last = joined.at(-1);
		if (last && from <= last.to) last.to = Math.max(last.to, to);
		else joined.push({ from, to });
	}
	return joined;
}

function placesOf(text: string, value: string): Span[] {
	const found: Span[] = [];
	for (let at = text.indexOf(value); at >= 0; at = text.indexOf(value, at + value.length))
		found.push({ from: at, to: at + value.length });
	return found;
}

/**
 * A configuration as people may see it: what follows a word for a secret is masked, and what must not be shown; the rest is
 * untouched.
 */
export function maskSecrets(text: string, unshown: Unshown = NOTHING_UNSHOWN): string {
	let masked = '';
	let at = 0;
	for (const { from, to } of secretPlaces(text, unshown)) {
		masked += text.slice(at, from) + MASK;
		at = to;
	}
	return masked + text.slice(at);
}
