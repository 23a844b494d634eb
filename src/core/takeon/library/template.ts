import { comparable, type ConfigNode, type ConfigTree, type Dialect, type DialectRules } from '../../config';
import { compile, isProblem, renderWhole, type Field, type Piece } from '../../profile';

/** Those statements of a tree that are, or are not, among some; with the blocks around them. */
export const said = (tree: ConfigTree, some: ReadonlySet<ConfigNode>, among: boolean): ConfigTree =>
	tree.flatMap((node) => {
		if (some.has(node)) return among ? [node] : [];
		if (node.children.length === 0) return among ? [] : [node];
		const children = said(node.children, some, among);
		return children.length === 0 ? [] : [{ ...node, children }];
	});

/** Stand in a template for a value. Of a private use: no configuration has them. */
export const [OPEN, CLOSE] = ['\uE010', '\uE011'];
const marker = (name: string): string => `${OPEN}${name}${CLOSE}`;
/** Begins a text of JSON that stands for something without quotation marks. */
export const BARE = '\uE012';
const bare = (text: string): string =>
	text.replace(/([:[,]\s*)\{\{-?\s*([\w.]+)\s*-?\}\}(?=\s*[,\]}])/g, `$1"${BARE}{{ $2 }}"`);
export const MARKERS = new RegExp(`${OPEN}([\\w.]+)${CLOSE}`);

/** What a part says, with marks where values stand; by node, the fields that made it or decided that it is there. */
export interface Template {
	readonly tree: ConfigTree;
	readonly fieldsOf: (node: ConfigNode) => readonly string[];
}

/** Null where marks cannot stand for its values: filters reckon with them, say. */
export function templateOf(
	{ id, name, text, fields }: Piece,
	dialect: Dialect,
	rules: DialectRules
): Template | null {
	const compiled = compile(text);
	if (isProblem(compiled)) return null;
	const known: Record<string, Record<string, string>> = {};
	for (const read of compiled.reads.keys()) {
		const [group, inner] = read.split('.');
		if (inner !== undefined) (known[group!] ??= {})[inner] = marker(read);
	}
	const plain = fields.map(({ name: field, type }): Field => ({
		name: field,
		type: type.kind === 'list' ? { kind: 'list', of: { kind: 'text' } } : { kind: 'text' },
		description: '',
		example: '',
		need: 'optional',
		scope: 'position'
	}));
	const rendered = renderWhole({
		dialect,
		rules,
		pieces: [{ id, name, text: dialect === 'json' ? bare(text) : text, fields: plain }],
		scoped: { position: Object.fromEntries(fields.map((field) => [field.name, marker(field.name)])) },
		known
	});
	if (!rendered.ok || rendered.tree.length === 0) return null;
	// What begins with a value could be anything
	if (comparable(rendered.tree, rules).some(({ head }) => head.startsWith(OPEN))) return null;
	return { tree: rendered.tree, fieldsOf: ({ line }) => rendered.lines[line - 1]?.fields ?? [] };
}
