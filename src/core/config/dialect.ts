import { parseBraced, printBraced } from './braced';
import { inOrderOf, type OrderedHeads } from './compare';
import { parseIndented, printIndented } from './indented';
import { parseJson, printJson } from './json';
import { failed, LARGEST_CONFIGURATION, type ConfigReading, type ConfigTree, type Dialect } from './tree';

const PARSERS = { indented: parseIndented, braced: parseBraced, json: parseJson };
const PRINTERS = { indented: printIndented, braced: printBraced, json: printJson };

/** Reads a configuration text in its dialect; the problems name their lines. */
export function parseConfig(text: string, dialect: Dialect): ConfigReading {
	if (text.length > LARGEST_CONFIGURATION)
		return failed(1, `Longer than ${LARGEST_CONFIGURATION.toLocaleString('en')} characters.`);
	return PARSERS[dialect](text);
}

/** Writes a tree as text of its dialect. */
export const printConfig = (tree: ConfigTree, dialect: Dialect): string => PRINTERS[dialect](tree);

/** Both texts printed in the order of the intended one; null when one of them cannot be read. */
export function alignConfigs(given: {
	readonly intended: string;
	readonly running: string;
	readonly dialect: Dialect;
	readonly ordered: OrderedHeads;
}): { readonly intended: string; readonly running: string } | null {
	const { dialect, ordered } = given;
	const [intended, running] = [parseConfig(given.intended, dialect), parseConfig(given.running, dialect)];
	if (!intended.ok || !running.ok) return null;
	return {
		intended: printConfig(intended.tree, dialect),
		running: printConfig(inOrderOf(intended.tree, running.tree, ordered), dialect)
	};
}
