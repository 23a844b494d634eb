import { parseBraced, printBraced } from './dialects/braced';
import { compareTrees, inOrderOf, type ConfigDifference } from './compare';
import { comparing } from './meaning';
import { parseIndented, printIndented } from './dialects/indented';
import { parseJson, printJson } from './dialects/json';
import { comparable, NO_RULES, withoutSurroundings, type DialectRules } from './rules';
import { parseSetLines, printSetLines } from './dialects/set-lines';
import { parseXmlConfig, printXmlConfig } from './dialects/xml';
import { failed, LARGEST_CONFIGURATION, type ConfigReading, type ConfigTree, type Dialect } from './tree';

const PARSERS: Readonly<Record<Dialect, (text: string, rules: DialectRules) => ConfigReading>> = {
	indented: parseIndented,
	braced: parseBraced,
	json: parseJson,
	set: parseSetLines,
	xml: (text, { keys }) => parseXmlConfig(text, keys)
};
const PRINTERS: Readonly<Record<Dialect, (tree: ConfigTree) => string>> = {
	indented: (tree) => printIndented(tree),
	braced: (tree) => printBraced(tree),
	json: printJson,
	set: (tree) => printSetLines(tree),
	xml: printXmlConfig
};

/**
 * Reads a configuration text in its dialect, without what its maker's rules say only stands around it; the problems
 * name their lines.
 */
export function parseConfig(text: string, dialect: Dialect, rules: DialectRules = NO_RULES): ConfigReading {
	if (text.length > LARGEST_CONFIGURATION)
		return failed(1, `Longer than ${LARGEST_CONFIGURATION.toLocaleString('en')} characters.`);
	return PARSERS[dialect](withoutSurroundings(text, rules), rules);
}

/** Writes a tree as text of its dialect. */
export const printConfig = (tree: ConfigTree, dialect: Dialect): string => PRINTERS[dialect](tree);

/** Two texts of the same dialect, and what is their maker's own in it. */
export interface TwoConfigs {
	readonly intended: string;
	readonly running: string;
	readonly dialect: Dialect;
	readonly rules: DialectRules;
}
type Comparison =
	| { readonly ok: true; readonly differences: readonly ConfigDifference[] }
	| { readonly ok: false; readonly unreadable: readonly string[] };

/** The differences of two texts, or which of them cannot be read and where. */
export function compareConfigs(given: TwoConfigs): Comparison {
	const { dialect, rules } = given;
	const intended = parseConfig(given.intended, dialect, rules);
	const running = parseConfig(given.running, dialect, rules);
	if (intended.ok && running.ok)
		return {
			ok: true,
			differences: compareTrees(
				comparable(intended.tree, rules),
				comparable(running.tree, rules),
				comparing(dialect, rules)
			)
		};
	const words = (which: string, reading: ConfigReading) =>
		reading.ok
			? []
			: [
					`The ${which} configuration cannot be read: line ${reading.problems[0]!.line}: ${reading.problems[0]!.message}`
				];
	return { ok: false, unreadable: [...words('intended', intended), ...words('running', running)] };
}

/** Both texts printed in the order of the intended one; null when one of them cannot be read. */
export function alignConfigs(
	given: TwoConfigs
): { readonly intended: string; readonly running: string } | null {
	const { dialect, rules } = given;
	const intended = parseConfig(given.intended, dialect, rules);
	const running = parseConfig(given.running, dialect, rules);
	if (!intended.ok || !running.ok) return null;
	const asCompared = (tree: ConfigTree) => comparable(tree, rules);
	return {
		intended: printConfig(asCompared(intended.tree), dialect),
		running: printConfig(
			inOrderOf(asCompared(intended.tree), asCompared(running.tree), comparing(dialect, rules)),
			dialect
		)
	};
}
