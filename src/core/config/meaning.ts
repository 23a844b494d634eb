import type { DialectRules } from './rules';
import type { ConfigNode, Dialect } from './tree';

/** What decides whether two statements of a maker's dialect mean the same. */
export interface Comparing {
	readonly dialect: Dialect;
	/** Heads of the blocks whose children are tried in order (filter rules, preference lists). JSON lists always are. */
	readonly ordered: ReadonlySet<string>;
	/** By a list's name, the names of its keys. */
	readonly keys: DialectRules['keys'];
}

export const comparing = (
	dialect: Dialect,
	{ ordered, keys }: Pick<DialectRules, 'ordered' | 'keys'>
): Comparing => ({ dialect, ordered: new Set(ordered), keys });

/** What a node means, whatever the order of what means nothing by its order. */
export interface Meaning {
	readonly node: ConfigNode;
	/** The same for two nodes exactly when they mean the same. */
	readonly id: number;
	/** Depends on the meaning alone; two that differ hardly ever share it. Only for putting them in an order. */
	readonly mark: string;
}

/** The meanings of the nodes of one comparison, each worked out once: its own words and its children's ids. */
export class Meanings {
	readonly #known = new Map<ConfigNode, Meaning>();
	readonly #ids = new Map<string, number>();
	readonly #valueOf: (rest: string) => string;
	constructor(readonly rules: Comparing) {
		this.#valueOf = rules.dialect === 'json' ? numberValue : rules.dialect === 'xml' ? asItIs : wordValues;
	}

	isOrdered(node: ConfigNode): boolean {
		return node.kind === 'list' || this.rules.ordered.has(node.head);
	}

	of(node: ConfigNode): Meaning {
		const known = this.#known.get(node);
		if (known) return known;
		const children = node.children.map((child) => this.of(child));
		if (!this.isOrdered(node)) children.sort((a, b) => a.id - b.id);
		const words = JSON.stringify([node.kind, node.head, this.#valueOf(node.rest)]);
		const key = `${words}${children.map(({ id }) => id).join()}`;
		let id = this.#ids.get(key);
		if (id === undefined) this.#ids.set(key, (id = this.#ids.size));
		const isOrdered = this.isOrdered(node);
		let mark: string | undefined;
		const meaning: Meaning = {
			node,
			id,
			// Only what differs is asked for it
			get mark() {
				if (mark === undefined) {
					if (!isOrdered) children.sort(byMark);
					mark = markOf(`${words}${children.map((one) => one.mark).join()}`);
				}
				return mark;
			}
		};
		this.#known.set(node, meaning);
		return meaning;
	}
}

export const byMark = (a: Meaning, b: Meaning) => (a.mark < b.mark ? -1 : a.mark > b.mark ? 1 : a.id - b.id);

/** Two 32-bit FNV-1a hashes of a text, from different beginnings. */
function markOf(text: string): string {
	let [a, b] = [0x811c9dc5, 0x9747b28c];
	for (let at = 0; at < text.length; at++) {
		const code = text.charCodeAt(at);
		a = Math.imul(a ^ code, 0x01000193);
		b = Math.imul(b ^ code, 0x01000193) ^ (b >>> 15);
	}
	return (a >>> 0).toString(36).padStart(7, '0') + (b >>> 0).toString(36).padStart(7, '0');
}

const asItIs = (rest: string): string => rest;

const NUMBER = /^-?\d{1,40}(?:\.\d{1,40})?(?:[eE][+-]?\d{1,3})?$/;
/** In JSON `1.0`, `1` and `10e-1` are the same number (RFC 8259, section 6); one that a double cannot hold stays as it is written. */
function numberValue(rest: string): string {
	if (!NUMBER.test(rest)) return rest;
	const digits = rest
		.replace(/[eE].*$/, '')
		.replace(/[-.]/g, '')
		.replace(/^0+/, '');
	return digits.length > 15 ? rest : String(Number(rest));
}

const QUOTED_WORD = /"((?:[^"\\]|\\.)*)"/g;
/** A word means the same with its quotation marks and without them, as long as it needs none. */
const wordValues = (rest: string): string =>
	rest.includes('"')
		? rest.replace(QUOTED_WORD, (whole, inside: string) => {
				const plain = inside.replace(/\\(["\\])/g, '$1');
				return /^[^\s"{};#\\]+$/.test(plain)
					? plain
					: JSON.stringify(plain) === whole
						? whole
						: `"${inside}"`;
			})
		: rest;
