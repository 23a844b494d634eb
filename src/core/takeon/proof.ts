import {
	comparable,
	comparing,
	compareTrees,
	type ConfigDifference,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../config';
import { renderWhole, type Known, type OwnStatement, type Piece, type ScopedValues } from '../profile';
import { ownStatements } from './own';

/** Whether the profile with a unit's values gives what it runs. */
export interface UnitProof {
	readonly id: string;
	/** Rendering it, with the unit's own statements, is equal to what runs, statement by statement. */
	readonly holds: boolean;
	/** What its profile does not say, as statements of its own. */
	readonly own: readonly OwnStatement[];
	/** What is not equal all the same. */
	readonly left: readonly ConfigDifference[];
	/** Why it cannot be rendered; empty when it can. */
	readonly problems: readonly string[];
}

interface ToProve {
	readonly id: string;
	readonly dialect: Dialect;
	readonly rules: DialectRules;
	readonly pieces: readonly Piece[];
	readonly scoped: ScopedValues;
	readonly known: Known;
	readonly running: ConfigTree;
}

/**
 * Renders the profile with the unit's values and compares it with what it runs; what differs becomes statements of its own, and
 * it is rendered once more with these. Law: `holds` says that the last comparison found nothing.
 */
export function proofOf({ id, dialect, rules, pieces, scoped, known, running }: ToProve): UnitProof {
	const render = (own: readonly OwnStatement[]) =>
		renderWhole({
			dialect,
			rules,
			pieces,
			scoped,
			known,
			own
		});
	const compared = (tree: ConfigTree) =>
		compareTrees(comparable(tree, rules), comparable(running, rules), comparing(dialect, rules));
	const plain = render([]);
	if (!plain.ok)
		return { id, holds: false, own: [], left: [], problems: plain.problems.map(({ message }) => message) };
	const left = compared(plain.tree);
	if (left.length === 0) return { id, holds: true, own: [], left, problems: [] };
	const own = ownStatements(plain.tree, running, dialect, rules);
	const whole = render(own);
	if (!whole.ok)
		return { id, holds: false, own, left, problems: whole.problems.map(({ message }) => message) };
	const still = compared(whole.tree);
	return { id, holds: still.length === 0, own, left: still, problems: [] };
}
