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

/** The statements of a position's own that bring what it is to run to what it runs; what only stands elsewhere is left. */
export function ownStatements(
	intended: ConfigTree,
	running: ConfigTree,
	dialect: Dialect,
	rules: DialectRules
): readonly OwnStatement[] {
	const label = (node: ConfigNode, list: ConfigNode | undefined) =>
		labelOf(node, rules.keys[list?.head ?? '']);
	return treeDifferences(
		comparable(intended, rules),
		comparable(running, rules),
		comparing(dialect, rules)
	).flatMap(({ said: { kind }, around, intendedNode, runningNode }) =>
		kind === 'order'
			? []
			: [
					{
						path: around.map((node, at) => label(node, around[at - 1])),
						away: intendedNode && label(intendedNode, around.at(-1)),
						comes: runningNode,
						after: null
					}
				]
	);
}
