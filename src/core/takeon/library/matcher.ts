import { splitWords, type ConfigNode, type ConfigTree, type Dialect } from '../../config';
import { MOST_IN_LIST, type Field, type Known } from '../../profile';
import { BARE, MARKERS, OPEN, type Template } from './template';

/** What was seen where marks stand, and which statements were seen. */
interface Matched {
	readonly seen: ReadonlyMap<string, readonly string[]>;
	readonly nodes: readonly ConfigNode[];
	/** The fields of templates that had their statement. */
	readonly there: ReadonlySet<string>;
}
export const NOTHING: Matched = { seen: new Map(), nodes: [], there: new Set() };

export class Matcher {
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
