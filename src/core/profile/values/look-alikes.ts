/** Letters of other scripts that look like Latin ones, by the letter they are taken for. */
const TWINS: Readonly<Record<string, string>> = {
	а: 'a', в: 'b', е: 'e', һ: 'h', і: 'i', ј: 'j', к: 'k', м: 'm', н: 'h', о: 'o', р: 'p', ѕ: 's', с: 'c', т: 't', у: 'y', х: 'x', ԁ: 'd', ԛ: 'q', ԝ: 'w',
	А: 'A', В: 'B', Е: 'E', Н: 'H', І: 'I', Ј: 'J', К: 'K', М: 'M', О: 'O', Р: 'P', Ѕ: 'S', С: 'C', Т: 'T', У: 'Y', Х: 'X',
	α: 'a', ε: 'e', ι: 'i', κ: 'k', ν: 'v', ο: 'o', ρ: 'p', τ: 't', υ: 'u', χ: 'x',
	Α: 'A', Β: 'B', Ε: 'E', Ζ: 'Z', Η: 'H', Ι: 'I', Κ: 'K', Μ: 'M', Ν: 'N', Ο: 'O', Ρ: 'P', Τ: 'T', Υ: 'Y', Χ: 'X',
	'‐': '-', '‑': '-', '‒': '-', '–': '-', '—': '-', '−': '-', '．': '.', '：': ':', '／': '/', '․': '.'
}; // prettier-ignore

/**
 * Says which character of a name is taken for another that it is not; null when none is. Wide forms of
 * Latin letters and digits, Cyrillic and Greek twins beside Latin letters, and dashes that are no “-”.
 */
export function lookAlike(text: string): string | null {
	for (const character of text) {
		const wide = character.normalize('NFKC');
		const twin = TWINS[character] ?? (/[\uff01-\uff5e]/.test(character) ? wide : null);
		if (twin === null) continue;
		const code = character.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0');
		return `“${character}” (U+${code}) in “${text}” looks like “${twin}” and is another character.`;
	}
	return null;
}

/**
 * Why a name cannot be had; null when it can. A name wholly in another script is a name; one letter of
 * another among Latin ones is a trap.
 */
export function nameProblem(name: string): string | null {
	if (name.trim() !== name || name === '') return 'A name neither begins nor ends with a space.';
	if (/\p{C}|[\u2028\u2029]/u.test(name)) return 'A name has no invisible characters.';
	return /\p{Script=Latin}/u.test(name) ? lookAlike(name.replace(/[–—]/g, '')) : null;
}
