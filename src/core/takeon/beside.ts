import {
	comparable,
	comparing,
	treeDifferences,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../config';

/**
 * What a configuration says that a later one says otherwise, no more, or in another order: one line each, the blocks around
 * it first. None: the later one only adds to it. Law: what is taken out of the later one is among them.
 */
export const goneWith = (
	before: ConfigTree,
	after: ConfigTree,
	dialect: Dialect,
	rules: DialectRules
): readonly string[] =>
	treeDifferences(comparable(after, rules), comparable(before, rules), comparing(dialect, rules)).flatMap(
		({ said }) =>
			said.kind === 'missing' ? [] : [[...said.path, said.running ?? said.intended ?? ''].join(' › ')]
	);
