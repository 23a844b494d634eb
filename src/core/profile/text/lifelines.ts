import {
	LIFELINE_WORDS,
	LIFELINES,
	nodesAt,
	type ConfigProblem,
	type ConfigTree,
	type Grammar,
	type Lifeline,
	type PathNames
} from '../../config';

/** What a rendering would do to the way in to a unit. */
export interface Stranding {
	/** The lifelines it would be without. */
	readonly lost: readonly Lifeline[];
	/** Statements that cut it off, with their lines. */
	readonly cuts: readonly ConfigProblem[];
}

/**
 * Whether a unit would still be reached with a configuration: an address on its uplink, a route, names,
 * time, and Limen's address to call home with the key that lets it in.
 * Law: taking the statements of every alternative of a lifeline away loses that lifeline.
 */
export function strandingOf(tree: ConfigTree, grammar: Grammar, names: PathNames): Stranding {
	const lost = LIFELINES.filter(
		(lifeline) =>
			!grammar.lifelines[lifeline].some((paths) =>
				paths.every((path) => nodesAt(tree, path, names).length > 0)
			)
	);
	const cuts = (grammar.cuts ?? []).flatMap(({ path, words }) =>
		nodesAt(tree, path, names).map(({ line }) => ({ line, message: words }))
	);
	return { lost, cuts };
}

export const strands = ({ lost, cuts }: Stranding): boolean => lost.length + cuts.length > 0;

/** Why a unit would be lost, one sentence each. */
export const strandingWords = ({ lost, cuts }: Stranding): readonly string[] => [
	...lost.map((lifeline) => `The unit would be without ${LIFELINE_WORDS[lifeline]}.`),
	...cuts.map(({ line, message }) => `Line ${line}: ${message}`)
];

/** Statements that open a unit to strangers, in the words of its maker's table. */
export const openingsIn = (tree: ConfigTree, grammar: Grammar, names: PathNames): readonly ConfigProblem[] =>
	(grammar.risks ?? []).flatMap(({ path, words }) =>
		nodesAt(tree, path, names).map(({ line }) => ({ line, message: words }))
	);

/** Whether two configurations treat the uplink differently: what is changed there can cut a unit off. */
export function changesUplink(
	before: ConfigTree,
	after: ConfigTree,
	grammar: Grammar,
	names: PathNames
): boolean {
	const uplink = (tree: ConfigTree) =>
		JSON.stringify(
			grammar.lifelines.uplink
				.flatMap((paths) => paths.flatMap((path) => nodesAt(tree, path.slice(0, 1), names)))
				.map(withoutLines)
		);
	return uplink(before) !== uplink(after);
}
const withoutLines = ({ head, rest, children }: ConfigTree[number]): unknown => [
	head,
	rest,
	children.map(withoutLines)
];
