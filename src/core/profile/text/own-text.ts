import * as v from 'valibot';
import {
	labelOf,
	statementOf,
	DIALECTS,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../../config';

/**
 * Statements that a position has of its own, beside what its profile says: something comes, something goes, one stands
 * in the place of another, or elsewhere. Blocks and statements are named as people see them.
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
	/** What its profile says, `away`, only stands elsewhere: behind `after`. */
	readonly moves?: true;
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
			after: v.nullable(words),
			moves: v.exactOptional(v.literal(true))
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
	const named = tree.filter((node) => label(node) === own.path[depth]);
	// A block that has nothing in it is written as a statement
	const block = named.find(({ kind }) => kind !== 'leaf') ?? named[0];
	if (!block) return null;
	const children = inside(block.children, own, depth + 1, block.head, keys);
	if (children?.length === 0 && block.kind === 'leaf') return tree;
	const kind = block.kind === 'leaf' ? 'block' : block.kind;
	return children && tree.with(tree.indexOf(block), { ...block, kind, children });
}

function changedHere(
	tree: ConfigTree,
	{ away, comes, after, moves }: OwnStatement,
	label: (node: ConfigNode) => string
): ConfigTree {
	const gone = away === null ? -1 : tree.findIndex((node) => label(node) === away);
	const rest = gone < 0 ? tree : tree.toSpliced(gone, 1);
	const behind = after === null || after === '' ? -1 : rest.findIndex((node) => label(node) === after);
	const placed = after === '' ? 0 : behind >= 0 ? behind + 1 : null;
	if (moves) return gone < 0 ? tree : rest.toSpliced(placed ?? gone, 0, tree[gone]!);
	if (comes === null || rest.some((node) => isSame(node, comes))) return rest;
	return rest.toSpliced(gone >= 0 ? gone : (placed ?? rest.length), 0, comes);
}

const isSame = (one: ConfigNode, other: ConfigNode): boolean =>
	one.kind === other.kind &&
	statementOf(one) === statementOf(other) &&
	one.children.length === other.children.length &&
	one.children.every((child, index) => isSame(child, other.children[index]!));

/** One of them in a few words. */
export const ownWords = ({ path, away, comes, after, moves }: OwnStatement): string => {
	const at = path.length > 0 ? `in ${path.join(' › ')}: ` : '';
	if (moves) return `${at}“${away}” ${after ? `behind “${after}”` : 'first'}`;
	const came = comes && labelOf(comes);
	if (came === null) return `${at}without “${away}”`;
	return away === null ? `${at}“${came}”` : `${at}“${came}” in the place of “${away}”`;
};
