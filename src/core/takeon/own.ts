import {
	comparable,
	comparing,
	labelOf,
	treeDifferences,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../config';
import type { OwnStatement } from '../profile';

/** The statements of a position's own that bring what it is to run to what it runs, each where it stands there; what only stands elsewhere is left. */
export function ownStatements(
	intended: ConfigTree,
	running: ConfigTree,
	dialect: Dialect,
	rules: DialectRules
): readonly OwnStatement[] {
	const label = (node: ConfigNode, list: ConfigNode | undefined) =>
		labelOf(node, rules.keys[list?.head ?? '']);
	const afterWhat = (node: ConfigNode | undefined, list: ConfigNode | undefined) =>
		node ? label(node, list) : '';
	const runs = comparable(running, rules);
	const before = new Map<ConfigNode, ConfigNode>();
	noteOrder(runs, before);
	return treeDifferences(comparable(intended, rules), runs, comparing(dialect, rules)).flatMap(
		({ said: { kind }, around, intendedNode, runningNode }) =>
			kind === 'order'
				? []
				: [
						{
							path: around.map((node, at) => label(node, around[at - 1])),
							away: intendedNode && label(intendedNode, around.at(-1)),
							comes: runningNode,
							after: intendedNode || !runningNode ? null : afterWhat(before.get(runningNode), around.at(-1))
						}
					]
	);
}

/** What each statement stands behind. */
function noteOrder(tree: ConfigTree, before: Map<ConfigNode, ConfigNode>): void {
	for (const [at, node] of tree.entries()) {
		if (at > 0) before.set(node, tree[at - 1]!);
		noteOrder(node.children, before);
	}
}
