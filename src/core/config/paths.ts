import { statementOf, type ConfigNode, type ConfigTree } from './tree';

/** Statements from the outside in: `["port {port.uplink}", "own-address *"]`. `*` stands for one word or more. */
export type StatementPath = readonly string[];

/** What a path's names stand for: `port.uplink`, `limen.call_home_host`. */
export type PathNames = Readonly<Record<string, string | number>>;
const NO_NAMES: PathNames = {};

/** The nodes that a path leads to. A name that stands for nothing leads nowhere. */
export function nodesAt(tree: ConfigTree, path: StatementPath, names: PathNames): readonly ConfigNode[] {
	const [first, ...rest] = path;
	const found = tree.filter(statementForm(first!, names));
	return rest.length === 0 ? found : found.flatMap((node) => nodesAt(node.children, rest, names));
}

const nothing = () => false;

/** Whether a node is one of those that a step of a path means. */
export function statementForm(statement: string, names: PathNames = NO_NAMES): (node: ConfigNode) => boolean {
	let known = true;
	const filled = statement.replace(/\{([a-z_.]+)\}/g, (_, name: string) => {
		if (!Object.hasOwn(names, name)) known = false;
		return String(names[name] ?? '');
	});
	return known ? formOf(filled) : nothing;
}

type Form = (node: ConfigNode) => boolean;
const MOST_FORMS = 2_000;
/** Paths are few and asked for again with every rendering. */
const forms = new Map<string, Form>();

function formOf(statement: string): Form {
	let form = forms.get(statement);
	if (!form) {
		const fits = wordsFit(statement);
		const head = /^[^\s*]+(?=\s|$)/.exec(statement)?.[0];
		form = (node) => (head === undefined || node.head === head) && fits(statementOf(node));
		if (forms.size >= MOST_FORMS) forms.delete(forms.keys().next().value!);
		forms.set(statement, form);
	}
	return form;
}

/**
 * Whether a text is made of these pieces in this order, with something that begins with no blank between each
 * two. From the left each piece is taken where it comes first, so that it takes time in proportion to both.
 */
function wordsFit(statement: string): (text: string) => boolean {
	const [first, ...rest] = statement.split('*') as [string, ...string[]];
	if (rest.length === 0) return (text) => text === first;
	const last = rest.pop()!;
	return (text) => {
		if (!text.startsWith(first) || !text.endsWith(last)) return false;
		let at = first.length;
		for (const piece of rest) {
			if (!isWord(text, at)) return false;
			const next = text.indexOf(piece, at + 1);
			if (next < 0) return false;
			at = next + piece.length;
		}
		return isWord(text, at) && text.length - last.length > at;
	};
}
const isWord = (text: string, at: number) => at < text.length && !/\s/.test(text[at]!);
