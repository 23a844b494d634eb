import { parseXml, printXml, type XmlElement } from '../../xml';
import { DEEPEST_NESTING, failed, type ConfigNode, type ConfigReading, type ConfigTree } from '../tree';

/** By a list's name, the names of its keys. */
export type ListKeys = Readonly<Record<string, readonly string[]>>;
const NO_KEYS: ListKeys = {};

/**
 * Reads the XML dialect, as NETCONF has it (RFC 6241, RFC 7950 section 7): an element becomes a statement with its
 * text, or a block with what is inside. The head is its name; where its namespace is not that of what it stands in,
 * `{namespace}name`. An attribute is a statement `@name`. The entry of a list has the values of its keys as rest, so
 * that it is the same entry when only other values change; blocks that are the same one become one.
 * Rejects what `parseXml` rejects, and nesting that is too deep.
 */
export function parseXmlConfig(text: string, keys: ListKeys = NO_KEYS): ConfigReading {
	const reading = parseXml(text);
	if (!reading.ok) return failed(reading.line, reading.message);
	try {
		return { ok: true, tree: merged(reading.elements.map((element) => nodeOf(element, '', keys, 0))) };
	} catch (error) {
		if (error instanceof TooDeep) return failed(error.line, 'Nested too deep.');
		throw error;
	}
}

class TooDeep extends Error {
	constructor(readonly line: number) {
		super();
	}
}

const qualified = (name: string, namespace: string | null, around: string): string =>
	namespace === null || namespace === around ? name : `{${namespace}}${name}`;

function nodeOf(element: XmlElement, around: string, keys: ListKeys, depth: number): ConfigNode {
	const { name, namespace, attributes, children, text, textNamespace, line } = element;
	if (depth > DEEPEST_NESTING) throw new TooDeep(line);
	const head = qualified(name, namespace, around);
	const said: ConfigNode[] = attributes.map((one) => ({
		head: `@${qualified(one.name, one.namespace, '')}`,
		rest: one.value,
		kind: 'leaf',
		children: [],
		line
	}));
	if (children.length === 0 && said.length === 0)
		return {
			head,
			rest: textNamespace === null ? text : `{${textNamespace}}${text}`,
			kind: 'leaf',
			children: [],
			line
		};
	const inside = children.map((child) => nodeOf(child, namespace, keys, depth + 1));
	const named = keys[name] ?? [];
	const values = named.map((key) => inside.find(({ head: one }) => one === key)?.rest ?? '');
	// The text of an element with attributes is a statement without a head
	const own: ConfigNode[] = text === '' ? [] : [{ head: '', rest: text, kind: 'leaf', children: [], line }];
	return {
		head,
		rest: values.join(' ').trim(),
		kind: 'block',
		children: merged([...said, ...own, ...inside]),
		line
	};
}

/**
 * Blocks with the same head and keys are one: containers that two texts both speak of, and entries of a list. What
 * both say stands there once. All that belongs together is gathered before it is looked into, so each level is gone
 * through once however often a block comes back.
 */
function merged(nodes: readonly ConfigNode[]): ConfigNode[] {
	const groups = new Map<string, ConfigNode[]>();
	const firsts: (ConfigNode | ConfigNode[])[] = [];
	for (const node of nodes) {
		const key = node.kind === 'block' ? JSON.stringify([node.head, node.rest]) : null;
		const group = key === null ? undefined : groups.get(key);
		if (group) group.push(node);
		else if (key === null) firsts.push(node);
		else {
			const begun = [node];
			groups.set(key, begun);
			firsts.push(begun);
		}
	}
	return firsts.map((one) => {
		if (!Array.isArray(one)) return one;
		const [first] = one as [ConfigNode];
		if (one.length === 1) return first;
		const seen = new Set<string>();
		const fresh = one.map(({ children }, index) => {
			// Within one text the same statement twice is meant; across texts it is the same one
			const said = children.filter(
				(child) =>
					index === 0 || child.kind === 'block' || !seen.has(JSON.stringify([child.head, child.rest]))
			);
			for (const { head, rest } of children) seen.add(JSON.stringify([head, rest]));
			return said;
		});
		return { ...first, children: merged(fresh.flat()) };
	});
}

const NAME = /^\{([^}]*)\}(.+)$/;
const namesIn = (head: string, around: string): { name: string; namespace: string } => {
	const [, namespace, name] = NAME.exec(head) ?? [];
	return name === undefined ? { name: head, namespace: around } : { name, namespace: namespace! };
};

/** Law: parsing a printed tree gives the same tree, lines aside. */
export const printXmlConfig = (tree: ConfigTree): string =>
	tree.map((node) => printXml(elementOf(node, ''))).join('');

function elementOf({ head, rest, kind, children, line }: ConfigNode, around: string): XmlElement {
	const { name, namespace } = namesIn(head, around);
	const value = NAME.exec(rest);
	const isAttribute = (child: ConfigNode) => child.head.startsWith('@');
	return {
		name,
		namespace,
		attributes: children.filter(isAttribute).map((child) => {
			const said = namesIn(child.head.slice(1), '');
			return { ...said, value: child.rest };
		}),
		children: children
			.filter((child) => !isAttribute(child) && child.head !== '')
			.map((child) => elementOf(child, namespace)),
		text:
			kind === 'leaf'
				? value
					? value[2]!
					: rest
				: (children.find((child) => child.head === '')?.rest ?? ''),
		textNamespace: kind === 'leaf' && value ? value[1]! : null,
		line
	};
}
