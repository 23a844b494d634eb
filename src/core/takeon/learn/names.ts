/** Where a value stands. */
export interface Standing {
	readonly path: readonly string[];
	readonly head: string;
	/** The word before it. */
	readonly before: string;
}

const RESERVED = new Set([
	'customer',
	'site',
	'position',
	'port',
	'file',
	'limen',
	'if',
	'for',
	'in',
	'and',
	'or',
	'true',
	'false',
	'nil',
	'empty',
	'blank',
	'contains'
]);
const LONGEST_NAME = 40;
export const slug = (words: readonly string[]): string =>
	words
		.join(' ')
		// A namespace is no name
		.replace(/\{[^}]*\}/g, '')
		.normalize('NFKD')
		.replace(/\p{M}/gu, '')
		.toLowerCase()
		.replace(/[^a-z0-9]+/g, '_')
		.replace(/^[^a-z]+|_+$/g, '')
		.slice(0, LONGEST_NAME)
		.replace(/_+$/, '');

export function free(wanted: string, taken: Set<string>): string {
	const base = wanted === '' || RESERVED.has(wanted) ? `field_${wanted}`.replace(/_$/, '') : wanted;
	let name = base;
	for (let at = 2; taken.has(name); at++) name = `${base}_${at}`;
	taken.add(name);
	return name;
}

/** The shortest name that says where its value stands. */
export function nameOf(holes: readonly Standing[], taken: Set<string>): string {
	const [{ path, head, before }] = holes as [Standing];
	const own = before === head || before === '' || !/^[A-Za-z]/.test(before) ? [head] : [head, before];
	for (let depth = 0; depth <= path.length; depth++) {
		const name = slug([...path.slice(path.length - depth), ...own]);
		if (name !== '' && !taken.has(name) && !RESERVED.has(name)) return free(name, taken);
	}
	return free(slug([...path, ...own]), taken);
}
