import { parseConfig, statementOf, type ConfigTree, type Dialect, type DialectRules } from '../config';

export interface Versions {
	/** Newest first; at least one. */
	readonly texts: readonly string[];
	readonly dialect: Dialect;
	readonly rules: DialectRules;
}

/** A statement that is the same in all texts has the same number in all of them. */
interface Numbered {
	readonly number: number;
	readonly line: number;
}

/**
 * Since which version what a line says has been there: for each line of the newest text an index into `texts`, of the
 * oldest version from which on it stayed; null for a line that says nothing, such as a brace or a comment. Units print in
 * an order of their own, which may be another each time: a statement is the same one where its words and the blocks around
 * it are, wherever it stands; of equal ones, and of items of a list without words of their own, as many stayed as there
 * were, the first of them. Of several statements on a line the latest counts. A statement that went and came again came
 * again. A text that cannot be read is taken line by line. Linear in the length of the texts, for so many versions. The
 * line break at a text's end begins no line.
 */
export function sinceWhich({ texts, dialect, rules }: Versions): (number | null)[] {
	const numbers = new Map<string, number>();
	/** By the number of the block around it, so that its words are not written again for each statement inside. */
	const numberOf = (around: number, words: string): number => {
		const key = `${around} ${words}`;
		const number = numbers.get(key) ?? numbers.size + 1;
		numbers.set(key, number);
		return number;
	};
	const statementsOf = (text: string): readonly Numbered[] => {
		const reading = parseConfig(text, dialect, rules);
		if (!reading.ok)
			return linesOf(text).map((line, at) => ({ number: numberOf(0, line.trim()), line: at + 1 }));
		const found: Numbered[] = [];
		const walk = (tree: ConfigTree, around: number): void => {
			for (const node of tree) {
				const number = numberOf(around, statementOf(node));
				found.push({ number, line: node.line });
				walk(node.children, number);
			}
		};
		walk(reading.tree, 0);
		return found;
	};
	const [newest, ...older] = texts.map(statementsOf);
	const counts = older.map(countedBy);
	const since: (number | null)[] = linesOf(texts[0]!).map(() => null);
	const seen = new Map<number, number>();
	for (const { number, line } of newest!) {
		const which = (seen.get(number) ?? 0) + 1;
		seen.set(number, which);
		const gone = counts.findIndex((count) => (count.get(number) ?? 0) < which);
		const from = gone < 0 ? counts.length : gone;
		since[line - 1] = Math.min(from, since[line - 1] ?? from);
	}
	return since;
}

const linesOf = (text: string): readonly string[] => text.replace(/\r?\n$/, '').split(/\r\n|\r|\n/);

function countedBy(statements: readonly Numbered[]): ReadonlyMap<number, number> {
	const counts = new Map<number, number>();
	for (const { number } of statements) counts.set(number, (counts.get(number) ?? 0) + 1);
	return counts;
}
