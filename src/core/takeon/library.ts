import {
	comparable,
	comparing,
	splitWords,
	treeDifferences,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../config';
import {
	compile,
	isProblem,
	isSecretType,
	MOST_IN_LIST,
	renderWhole,
	resolveFields,
	writeValue,
	type Field,
	type Known,
	type Piece
} from '../profile';
import { usualOf } from './usual';

/** A part of the library that says some of what units run, in a profile that is learnt from them. */
export interface ExplainingPart extends Piece {
	/** How many statements it says at each unit, at most. */
	readonly statements: number;
}
export interface CutAgainst {
	readonly parts: readonly ExplainingPart[];
	/** What most units give the parts, as the profile gives it. */
	readonly shared: Readonly<Record<string, string>>;
	/** What each gives them beside that, by unit in the order of the units. */
	readonly values: readonly Readonly<Record<string, string>>[];
	/** What they run without what the parts say. */
	readonly trees: readonly ConfigTree[];
}
interface Unit {
	readonly tree: ConfigTree;
	readonly known: Known;
}

/**
 * Finds those parts of a library that say statements of all units, whole blocks only, and with which values; what they say
 * is taken out of what is still to be learnt. A part with most statements goes first, and no statement is said twice.
 * Laws: rendering the parts with the values of a unit gives just the statements that were taken out there; without parts
 * nothing changes. Not found: parts whose fields only filters or formulas write, whose table has columns, or which need a
 * value that nothing shows.
 */
export function cutAgainst(
	units: readonly Unit[],
	library: readonly Piece[],
	dialect: Dialect,
	rules: DialectRules
): CutAgainst {
	const fitting = library
		.flatMap((part) => {
			const template = templateOf(part, dialect, rules);
			const found = template && foundAt(units, part, template, dialect, rules);
			return found ? [{ part, found }] : [];
		})
		.sort((a, b) => most(b.found) - most(a.found) || (a.part.id < b.part.id ? -1 : 1));
	const taken = units.map(() => new Set<ConfigNode>());
	const values = units.map((): Record<string, string> => ({}));
	const types = new Map<string, string>();
	const parts: ExplainingPart[] = [];
	for (const { part, found } of fitting) {
		const isFree =
			found.every(({ nodes }, at) => [...nodes].every((node) => !taken[at]!.has(node))) &&
			part.fields.every(
				({ name, type }) => (types.get(name) ?? JSON.stringify(type)) === JSON.stringify(type)
			) &&
			found.every(({ given }, at) =>
				Object.entries(given).every(([name, value]) => (values[at]![name] ?? value) === value)
			);
		if (!isFree) continue;
		for (const [at, { nodes, given }] of found.entries()) {
			for (const node of nodes) taken[at]!.add(node);
			Object.assign(values[at]!, given);
		}
		for (const { name, type } of part.fields) types.set(name, JSON.stringify(type));
		parts.push({ ...part, statements: most(found) });
	}
	const { shared, own } = parted(values, parts);
	return {
		parts,
		shared,
		values: own,
		trees: units.map(({ tree }, at) => said(tree, taken[at]!, false))
	};
}

interface FoundAt {
	/** Statements with all that is inside. */
	readonly nodes: ReadonlySet<ConfigNode>;
	/** Values by field. */
	readonly given: Readonly<Record<string, string>>;
}
const most = (found: readonly FoundAt[]): number =>
	Math.max(0, ...found.map(({ nodes }) => [...nodes].reduce((sum, node) => sum + size(node), 0)));
const size = (node: ConfigNode): number => node.children.reduce((sum, child) => sum + size(child), 1);

/** Those statements of a tree that are, or are not, among some; with the blocks around them. */
const said = (tree: ConfigTree, some: ReadonlySet<ConfigNode>, among: boolean): ConfigTree =>
	tree.flatMap((node) => {
		if (some.has(node)) return among ? [node] : [];
		if (node.children.length === 0) return among ? [] : [node];
		const children = said(node.children, some, among);
		return children.length === 0 ? [] : [{ ...node, children }];
	});

/** What more than half of several units give, where all give something, is the profile’s, but for secrets; the others keep theirs. */
function parted(values: readonly Readonly<Record<string, string>>[], parts: readonly Piece[]) {
	const shared: Record<string, string> = {};
	for (const { name, type } of parts.flatMap(({ fields }) => fields)) {
		const given = values.flatMap((one) => one[name] ?? []);
		const usual = given.length === values.length && !isSecretType(type) ? usualOf(given) : null;
		if (usual !== null) shared[name] = usual;
	}
	const own = values.map((one) =>
		Object.fromEntries(Object.entries(one).filter(([name, value]) => shared[name] !== value))
	);
	return { shared, own };
}

/** Stand in a template for a value. Of a private use: no configuration has them. */
const [OPEN, CLOSE] = ['\uE010', '\uE011'];
const marker = (name: string): string => `${OPEN}${name}${CLOSE}`;
/** Begins a text of JSON that stands for something without quotation marks. */
const BARE = '\uE012';
const bare = (text: string): string =>
	text.replace(/([:[,]\s*)\{\{-?\s*([\w.]+)\s*-?\}\}(?=\s*[,\]}])/g, `$1"${BARE}{{ $2 }}"`);
const MARKERS = new RegExp(`${OPEN}([\\w.]+)${CLOSE}`);

/** What a part says, with marks where values stand; by node, the fields that made it or decided that it is there. */
interface Template {
	readonly tree: ConfigTree;
	readonly fieldsOf: (node: ConfigNode) => readonly string[];
}

/** Null where marks cannot stand for its values: filters reckon with them, say. */
function templateOf(
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

/** Where a part stands at each unit; null where any of them does not have it. */
function foundAt(
	units: readonly Unit[],
	part: Piece,
	template: Template,
	dialect: Dialect,
	rules: DialectRules
): readonly FoundAt[] | null {
	const matcher = new Matcher(part.fields, template, dialect);
	const found: FoundAt[] = [];
	for (const { tree, known } of units) {
		const matched = matcher.within(template.tree, tree, NOTHING);
		const given = matched && matched.nodes.length > 0 ? matcher.valuesOf(matched, known) : null;
		if (
			!matched ||
			!given ||
			!gives(part, given, known, said(tree, new Set(matched.nodes), true), dialect, rules)
		)
			return null;
		found.push({ nodes: new Set(matched.nodes), given: withoutUsual(part, given, known) });
	}
	return found;
}

/** Whether rendering the part with the values is just those statements. */
function gives(
	part: Piece,
	given: Readonly<Record<string, string>>,
	known: Known,
	nodes: ConfigTree,
	dialect: Dialect,
	rules: DialectRules
): boolean {
	const rendered = renderWhole({ dialect, rules, pieces: [part], scoped: { position: given }, known });
	return (
		rendered.ok &&
		treeDifferences(comparable(rendered.tree, rules), comparable(nodes, rules), comparing(dialect, rules))
			.length === 0
	);
}

/** Without what the part says itself where nobody gives it. */
function withoutUsual(
	{ fields }: Piece,
	given: Readonly<Record<string, string>>,
	known: Known
): Readonly<Record<string, string>> {
	let left = given;
	for (const { name, formula, fallback } of fields) {
		if (!Object.hasOwn(left, name) || (formula === undefined && fallback === undefined)) continue;
		const { [name]: value, ...others } = left;
		const usual = resolveFields(fields, { position: others }, known).values.get(name);
		if (usual && writeValue(usual.value) === value) left = others;
	}
	return left;
}

/** What was seen where marks stand, and which statements were seen. */
interface Matched {
	readonly seen: ReadonlyMap<string, readonly string[]>;
	readonly nodes: readonly ConfigNode[];
	/** The fields of templates that had their statement. */
	readonly there: ReadonlySet<string>;
}
const NOTHING: Matched = { seen: new Map(), nodes: [], there: new Set() };

class Matcher {
	readonly #fields: ReadonlyMap<string, Field>;
	readonly #template: Template;
	/** What follows a name there is one value, and what several texts say of one thing is put together. */
	readonly #isTree: boolean;

	constructor(fields: readonly Field[], template: Template, dialect: Dialect) {
		this.#isTree = dialect === 'json' || dialect === 'xml';
		this.#fields = new Map(fields.map((field) => [field.name, field]));
		this.#template = template;
	}

	/** Each statement of a template at one of its own among others; null where one is not there that has to be. */
	within(templates: ConfigTree, tree: ConfigTree, before: Matched): Matched | null {
		let matched = before;
		const used = new Set<ConfigNode>();
		const said: ConfigNode[] = [];
		for (const template of templates) {
			const names = this.#template.fieldsOf(template);
			const isList = names.some((name) => this.#fields.get(name)?.type.kind === 'list');
			const isOptional = names.some((name) => this.#isOptional(name));
			let isThere = false;
			for (const node of tree) {
				if (used.has(node)) continue;
				const next = this.#one(template, node, matched);
				if (!next) continue;
				used.add(node);
				said.push(...next.nodes);
				matched = next;
				isThere = true;
				if (!isList) break;
			}
			if (!isThere && !isOptional) return null;
			if (isThere) matched = { ...matched, there: new Set([...matched.there, ...names]) };
		}
		return { ...matched, nodes: said };
	}

	#isOptional(name: string): boolean {
		const field = this.#fields.get(name);
		return field !== undefined && (field.need !== 'required' || field.type.kind === 'yes or no');
	}

	/** One statement, and all that is inside of both. */
	#one(template: ConfigNode, node: ConfigNode, before: Matched): Matched | null {
		// Most differ in their first word: the others are taken apart
		if (template.kind !== node.kind || (template.head !== node.head && !template.head.includes(OPEN)))
			return null;
		const seen = this.#read(template, node, before.seen);
		if (!seen) return null;
		const inside = this.within(template.children, node.children, { ...before, seen });
		if (!inside) return null;
		// Objects of JSON and elements of XML are merged; any other block, and a list, whose order counts, is one part’s as a whole
		if (this.#isTree && node.head !== '' && node.kind === 'block') return inside;
		return inside.nodes.length === node.children.length ? { ...inside, nodes: [node] } : null;
	}

	/** What stands where the marks are, one in a word; null where the words are others, or a value is another than before. */
	#read(template: ConfigNode, node: ConfigNode, before: Matched['seen']): Matched['seen'] | null {
		const [wanted, words] = [this.#words(template), this.#words(node)];
		if (wanted.length !== words.length) return null;
		let seen = before;
		for (const [at, word] of words.entries()) {
			const [start, name, end, ...more] = wanted[at]!.split(MARKERS) as [string, ...string[]];
			if (name === undefined || end === undefined) {
				if (start !== word) return null;
				continue;
			}
			const value = word.slice(start.length, word.length - end.length);
			if (more.length > 0 || word.length <= start.length + end.length) return null;
			if (!word.startsWith(start) || !word.endsWith(end)) return null;
			const others = seen.get(name) ?? [];
			const isList = this.#fields.get(name)?.type.kind === 'list';
			if (!isList && others.length > 0 && others[0] !== value) return null;
			// No value is a longer list: whoever runs more is not read to the end
			if (others.length >= MOST_IN_LIST) return null;
			if (!others.includes(value)) seen = new Map([...seen, [name, [...others, value]]]);
		}
		return seen;
	}
	#words({ head, rest }: ConfigNode): readonly string[] {
		if (rest.startsWith(`"${BARE}`)) return [head, rest.slice(2, -1)];
		return this.#isTree ? [head, rest] : [head, ...(splitWords(rest) ?? [rest])];
	}

	/** What has to be given for it; null where something that Limen knows is another there, or not known. */
	valuesOf({ seen, there }: Matched, known: Known): Readonly<Record<string, string>> | null {
		const values: Record<string, string> = {};
		for (const [name, all] of seen) {
			const [group, inner] = name.split('.') as [string, string | undefined];
			if (inner === undefined) values[name] = all.join(', ');
			else if (String(known[group]?.[inner] ?? '') !== all[0]) return null;
		}
		for (const { name, type } of this.#fields.values())
			if (type.kind === 'yes or no') values[name] = there.has(name) ? 'yes' : 'no';
		return values;
	}
}
