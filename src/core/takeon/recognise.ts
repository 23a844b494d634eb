import {
	NO_RULES,
	parseConfig,
	rejectedLines,
	type ConfigTree,
	type Dialect,
	type DialectRules,
	type Grammar
} from '../config';

/** A model that a configuration may be of. */
export interface ModelWords {
	readonly id: string;
	readonly dialect: Dialect;
	readonly rules?: DialectRules;
	/** What it understands; without one nothing can be told by it. */
	readonly grammar: Grammar | null;
	/** What it calls its ports. */
	readonly ports: readonly string[];
}

/** Of its statements so many a model may not understand, and it can still be of it: others have newer firmware. */
const MOST_STRANGE = 0.4;

/**
 * Which model a configuration is of, by what it says: the one that understands most of its statements; of equal ones the one of
 * whose ports it names most, then with the fewest ports, then the first given. Null when none understands six tenths of it, or it says
 * nothing. Parses the text once for each dialect with its rules.
 */
export function recogniseModel(text: string, models: readonly ModelWords[]): string | null {
	const trees = new Map<string, ConfigTree | null>();
	const strange = new Map<Grammar, Map<ConfigTree, number>>();
	const words = new Set(text.split(/[\s"'<>{}[\]:;,]+/));
	let best: {
		readonly id: string;
		readonly share: number;
		readonly named: number;
		readonly ports: number;
	} | null = null;
	for (const { id, dialect, rules = NO_RULES, grammar, ports } of models) {
		if (!grammar) continue;
		const key = `${dialect} ${JSON.stringify(rules)}`;
		let tree = trees.get(key);
		if (tree === undefined) {
			const reading = parseConfig(text, dialect, rules);
			trees.set(key, (tree = reading.ok && reading.tree.length > 0 ? reading.tree : null));
		}
		if (!tree) continue;
		const ofGrammar = strange.get(grammar) ?? new Map<ConfigTree, number>();
		strange.set(grammar, ofGrammar);
		const share = ofGrammar.get(tree) ?? Math.min(1, rejectedLines(tree, grammar).length / sizeOf(tree));
		ofGrammar.set(tree, share);
		const named = ports.filter((port) => words.has(port)).length;
		const isBetter =
			best === null ||
			share < best.share ||
			(share === best.share && (named > best.named || (named === best.named && ports.length < best.ports)));
		if (share <= MOST_STRANGE && isBetter) best = { id, share, named, ports: ports.length };
	}
	return best?.id ?? null;
}

const sizeOf = (tree: ConfigTree): number =>
	tree.reduce((sum, { children }) => sum + 1 + sizeOf(children), 0);
