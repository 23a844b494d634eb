import * as v from 'valibot';
import {
	labelOf,
	statementOf,
	DIALECTS,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../config';

/**
 * Statements that a position has of its own, beside what its profile says: something comes, something goes, or one stands
 * in the place of another. Blocks and statements are named as people see them.
 */
export interface OwnStatement {
	/** The blocks around it, from the outside in. */
	readonly path: readonly string[];
	/** What its profile says and is not to be there; null where nothing goes. */
	readonly away: string | null;
	/** What comes; null where nothing does. */
	readonly comes: ConfigNode | null;
	/** What it follows, where that is there; empty: it comes first. */
	readonly after: string | null;
}

const words = v.pipe(v.string(), v.maxLength(20_000));
const nodeSchema: v.GenericSchema<ConfigNode> = v.object({
	head: words,
	rest: words,
	kind: v.picklist(['leaf', 'block', 'list']),
	children: v.lazy(() => v.array(nodeSchema)),
	line: v.number()
});
/** As it is kept. */
export const ownTextSchema = v.object({
	dialect: v.picklist(DIALECTS),
	statements: v.array(
		v.object({
			path: v.array(words),
			away: v.nullable(words),
			comes: v.nullable(nodeSchema),
			after: v.nullable(words)
		})
	)
});
export interface OwnText {
	readonly dialect: Dialect;
	readonly statements: readonly OwnStatement[];
}

export type WithOwn =
	{ readonly ok: true; readonly tree: ConfigTree } | { readonly ok: false; readonly message: string };

/**
 * A configuration with a position's own statements in it. Rejects one that belongs into a block that is not there. Laws:
 * without statements it is the same; done twice it is as if it was done once.
 */
export function withOwn(
	tree: ConfigTree,
	own: readonly OwnStatement[],
	keys: DialectRules['keys'] = {}
): WithOwn {
	let result = tree;
	for (const one of own) {
		const next = inside(result, one, 0, '', keys);
		if (next === null)
			return {
				ok: false,
				message: `This position’s own text belongs into “${one.path.join(' › ')}”, which its profile no longer has.`
			};
		result = next;
	}
	return { ok: true, tree: result };
}

function inside(
	tree: ConfigTree,
	own: OwnStatement,
	depth: number,
	list: string,
	keys: DialectRules['keys']
): ConfigTree | null {
	const label = (node: ConfigNode) => labelOf(node, keys[list]);
	if (depth === own.path.length) return changedHere(tree, own, label);
	const at = tree.findIndex((node) => node.kind !== 'leaf' && label(node) === own.path[depth]);
	const block = tree[at];
	if (!block) return null;
	const children = inside(block.children, own, depth + 1, block.head, keys);
	return children && tree.with(at, { ...block, children });
}

function changedHere(
	tree: ConfigTree,
	{ away, comes, after }: OwnStatement,
	label: (node: ConfigNode) => string
): ConfigTree {
	const gone = away === null ? -1 : tree.findIndex((node) => label(node) === away);
	const rest = gone < 0 ? tree : tree.toSpliced(gone, 1);
	if (comes === null || rest.some((node) => isSame(node, comes))) return rest;
	const behind = after === null ? -1 : rest.findIndex((node) => label(node) === after);
	const place = gone >= 0 ? gone : after === '' ? 0 : behind >= 0 ? behind + 1 : rest.length;
	return rest.toSpliced(place, 0, comes);
}

const isSame = (one: ConfigNode, other: ConfigNode): boolean =>
	one.kind === other.kind &&
	statementOf(one) === statementOf(other) &&
	one.children.length === other.children.length &&
	one.children.every((child, index) => isSame(child, other.children[index]!));

/** One of them in a few words. */
export const ownWords = ({ path, away, comes }: OwnStatement): string => {
	const at = path.length > 0 ? `in ${path.join(' › ')}: ` : '';
	const came = comes && labelOf(comes);
	if (came === null) return `${at}without “${away}”`;
	return away === null ? `${at}“${came}”` : `${at}“${came}” in the place of “${away}”`;
};
