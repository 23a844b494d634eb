import {
	labelOf,
	parseConfig,
	statementOf,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../../config';
import type { OwnStatement } from './own-text';

/** Statements that come into a configuration, and those that go, each with the blocks that they stand in. */
export interface TextChange {
	readonly comes: string;
	readonly goes: string;
}
export type OwnFor =
	| { readonly ok: true; readonly statements: readonly OwnStatement[] }
	| { readonly ok: false; readonly message: string };

/**
 * The statements of a position's own that bring its configuration a change. Blocks that it has are gone into; a statement that
 * is there already does not come, and one that is not there does not go. A block without anything in it goes as a whole.
 * Rejects what is no text of the dialect. Law: done to what it has brought about, it has nothing to do.
 */
export function ownFor(
	configuration: string,
	change: TextChange,
	dialect: Dialect,
	rules: DialectRules
): OwnFor {
	const read = (text: string) => parseConfig(text, dialect, rules);
	const whole = read(configuration);
	if (!whole.ok) return { ok: false, message: 'What it should run cannot be read.' };
	const [comes, goes] = [read(change.comes), read(change.goes)];
	for (const [which, reading] of [
		['comes', comes],
		['goes', goes]
	] as const)
		if (!reading.ok && change[which].trim() !== '')
			return {
				ok: false,
				message: `What ${which} cannot be read as its configuration: line ${reading.problems[0]!.line}, ${reading.problems[0]!.message}`
			};
	const statements: OwnStatement[] = [
		...(goes.ok ? going(goes.tree, whole.tree, [], '', rules.keys) : []),
		...(comes.ok ? coming(comes.tree, whole.tree, [], '', rules.keys) : [])
	];
	return { ok: true, statements };
}

type Walk = (
	wanted: ConfigTree,
	tree: ConfigTree,
	path: readonly string[],
	list: string,
	keys: DialectRules['keys']
) => OwnStatement[];

const going: Walk = (wanted, tree, path, list, keys) =>
	wanted.flatMap((node) => {
		const label = labelOf(node, keys[list]);
		const there = tree.find((one) => labelOf(one, keys[list]) === label);
		if (!there) return [];
		if (node.children.length > 0 && there.kind !== 'leaf')
			return going(node.children, there.children, [...path, label], node.head, keys);
		return [{ path, away: label, comes: null, after: null }];
	});

const coming: Walk = (wanted, tree, path, list, keys) =>
	wanted.flatMap((node) => {
		const label = labelOf(node, keys[list]);
		const block =
			node.kind === 'leaf'
				? undefined
				: tree.find((one) => one.kind !== 'leaf' && labelOf(one, keys[list]) === label);
		if (block) return coming(node.children, block.children, [...path, label], node.head, keys);
		if (
			node.kind === 'leaf' &&
			tree.some((one) => one.kind === 'leaf' && statementOf(one) === statementOf(node))
		)
			return [];
		return [{ path, away: null, comes: withoutLines(node), after: null }];
	});

const withoutLines = (node: ConfigNode): ConfigNode => ({
	...node,
	line: 0,
	children: node.children.map(withoutLines)
});
