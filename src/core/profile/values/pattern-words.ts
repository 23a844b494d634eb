const NAMED: Readonly<Record<string, string>> = {
	'.': 'dots', '-': 'hyphens', _: 'underscores', ':': 'colons', '@': 'at signs', '/': 'slashes', ' ': 'spaces', ',': 'commas',
	'+': 'plus signs', '#': 'number signs', '*': 'stars', "'": 'apostrophes', '"': 'quotation marks', '&': 'ampersands', '=': 'equals signs'
}; // prettier-ignore
const RANGES: Readonly<Record<string, string>> = {
	'A-Za-z': 'letters', 'a-zA-Z': 'letters', 'A-Z': 'capital letters', 'a-z': 'small letters', '0-9': 'digits', '\\d': 'digits',
	'A-F': 'A to F', 'a-f': 'a to f', 'A-Fa-f': 'A to F', 'a-fA-F': 'A to F'
}; // prettier-ignore

/**
 * What a field's pattern (a regular expression) wants, as people say it: `letters, digits and hyphens`. It knows
 * patterns of one class of characters, with how many of them; of all others it says that there is a set form.
 */
export function patternInWords(pattern: string): string {
	const [, inside, count] = /^\[((?:[^\]\\^]|\\.)+)\](\+|\*|\{\d+(?:,\d*)?\})?$/.exec(pattern) ?? [];
	const kinds = inside === undefined ? null : kindsIn(inside);
	if (!kinds) return pattern === '\\d+' ? 'digits' : 'a set form; see its example';
	const list = kinds.length === 1 ? kinds[0]! : `${kinds.slice(0, -1).join(', ')} and ${kinds.at(-1)}`;
	const [, least, to, most] = /^\{(\d+)(,(\d*))?\}$/.exec(count ?? '') ?? [];
	if (least === undefined) return count === undefined ? `one of ${list}` : list;
	const many = to === undefined ? least : most === '' ? `at least ${least}` : `${least} to ${most}`;
	return `${many} of ${list}`;
}

function kindsIn(inside: string): string[] | null {
	const kinds: string[] = [];
	let rest = inside;
	while (rest !== '') {
		const range = Object.keys(RANGES).find((one) => rest.startsWith(one));
		const escaped = rest.startsWith('\\') && !range;
		const one = range ?? (escaped ? rest.slice(0, 2) : rest[0]!);
		const named = RANGES[one] ?? NAMED[escaped ? one[1]! : one];
		// A range of another kind, or a sign without a name of its own
		if (named === undefined || (!range && rest[one.length] === '-' && rest.length > one.length + 1))
			return null;
		kinds.push(named);
		rest = rest.slice(one.length);
	}
	return kinds;
}
