import { splitWords, statementOf, type ConfigNode, type ConfigTree } from '../../config';

/** The same statement or block of many units, beside each other. */
export interface Slot {
	readonly kind: ConfigNode['kind'];
	readonly head: string;
	/** By unit; null where a unit does not have it. */
	readonly nodes: readonly (ConfigNode | null)[];
	readonly children: readonly Slot[];
}

/** A statement of one unit, on its way to its slot. */
interface Placed {
	readonly unit: number;
	readonly node: ConfigNode;
	/** Among its siblings. */
	readonly rank: number;
	readonly tokens: readonly string[];
}

/** No more words of a statement, or statements of an item, tell it from others. */
const MOST_TOKENS = 12;

/**
 * Lays the trees of many units beside each other: by kind and first word; where a unit has several of these, by the words that
 * most units share there; where these do not tell them apart either, by their order. What some units say in one way and all
 * others in another is one slot. Law: the order of the units changes nothing but the order of each slot's nodes. Takes time in
 * proportion to the statements, but for sorting.
 */
export const alignTrees = (trees: readonly ConfigTree[]): readonly Slot[] => alignLists(trees);

function alignLists(lists: readonly (ConfigTree | null)[]): readonly Slot[] {
	const groups = new Map<string, Placed[]>();
	for (const [unit, list] of lists.entries())
		for (const [rank, node] of (list ?? []).entries()) {
			const key = `${node.kind} ${node.head}`;
			const placed = { unit, node, rank, tokens: tokensOf(node) };
			const group = groups.get(key);
			if (group) group.push(placed);
			else groups.set(key, [placed]);
		}
	const rows = [...groups.values()].flatMap((group) => slotsOf(group).flatMap(byLength));
	return inOrder(rows, lists).map((row) => {
		const nodes = lists.map((): ConfigNode | null => null);
		for (const { unit, node } of row) nodes[unit] = node;
		const [{ node }] = row as [Placed];
		return {
			kind: node.kind,
			head: node.head,
			nodes,
			children: node.kind === 'leaf' ? [] : alignLists(nodes.map((one) => one?.children ?? null))
		};
	});
}

/** What tells a node from its siblings with the same first word: its other words, else what stands in it. */
function tokensOf({ rest, children }: ConfigNode): readonly string[] {
	const words = rest === '' ? [] : (splitWords(rest) ?? [rest]);
	if (words.length > 0) return words.slice(0, MOST_TOKENS).map((word, at) => `${at} ${word}`);
	return children
		.filter(({ kind }) => kind === 'leaf')
		.slice(0, MOST_TOKENS)
		.map(statementOf);
}

/** Statements of one first word, as rows with at most one of each unit. */
function slotsOf(group: readonly Placed[]): readonly (readonly Placed[])[] {
	const units = new Set(group.map(({ unit }) => unit));
	if (units.size === group.length) return [group];
	const support = new Map<string, Set<number>>();
	for (const { unit, tokens } of group)
		for (const token of tokens) {
			const known = support.get(token);
			if (known) known.add(unit);
			else support.set(token, new Set([unit]));
		}
	const isShared = (token: string) => support.get(token)!.size * 2 > units.size;
	const byKey = new Map<string, Placed[]>();
	for (const placed of group) {
		const key = JSON.stringify(placed.tokens.filter(isShared));
		const known = byKey.get(key);
		if (known) known.push(placed);
		else byKey.set(key, [placed]);
	}
	// Those that are not told apart follow each other in every unit
	const rows = [...byKey].flatMap(([key, placed]) => {
		const counts = new Map<number, number>();
		const ordinals = new Map<number, Placed[]>();
		for (const one of [...placed].sort((a, b) => a.rank - b.rank)) {
			const ordinal = counts.get(one.unit) ?? 0;
			counts.set(one.unit, ordinal + 1);
			ordinals.set(ordinal, [...(ordinals.get(ordinal) ?? []), one]);
		}
		return [...ordinals].map(([ordinal, row]) => ({ key: `${key} ${ordinal}`, row }));
	});
	return joined(rows);
}

/** Rows that no unit has both of are one: some units say it in one way and others in another. */
function joined(
	rows: readonly { readonly key: string; readonly row: readonly Placed[] }[]
): readonly (readonly Placed[])[] {
	const sorted = [...rows].sort((a, b) => b.row.length - a.row.length || (a.key < b.key ? -1 : 1));
	const kept: Placed[][] = [];
	for (const { row } of sorted) {
		const units = new Set(row.map(({ unit }) => unit));
		const length = row[0]!.tokens.length;
		const home = kept.find(
			(one) => one[0]!.tokens.length === length && one.every(({ unit }) => !units.has(unit))
		);
		if (home) home.push(...row);
		else kept.push([...row]);
	}
	return kept;
}

/** Statements of another number of words are others where one is only longer: the rest is no value. */
function byLength(row: readonly Placed[]): readonly (readonly Placed[])[] {
	const [{ node }] = row as [Placed];
	if (node.kind !== 'leaf') return [row];
	const lengths = new Map<number, Placed[]>();
	for (const one of row) {
		const { length } = splitWords(one.node.rest) ?? [''];
		lengths.set(length, [...(lengths.get(length) ?? []), one]);
	}
	if (lengths.size === 1) return [row];
	const texts = row.map(({ node: { rest } }) => splitWords(rest) ?? [rest]);
	const shortest = Math.min(...texts.map(({ length }) => length));
	return sharedEnds(texts).length < shortest ? [row] : [...lengths.values()];
}

/** How many words all of these begin with and end with, without counting a word twice. */
export function sharedEnds(texts: readonly (readonly string[])[]): {
	readonly first: number;
	readonly last: number;
	readonly length: number;
} {
	const [one = [], ...others] = texts;
	const shortest = Math.min(...texts.map(({ length }) => length));
	let first = 0;
	while (first < shortest && others.every((text) => text[first] === one[first])) first++;
	let last = 0;
	while (
		last < shortest - first &&
		others.every((text) => text[text.length - 1 - last] === one[one.length - 1 - last])
	)
		last++;
	return { first, last, length: first + last };
}

/** As the units have them, most of all those rows that all units have; the others between these. */
function inOrder(
	rows: readonly (readonly Placed[])[],
	lists: readonly (ConfigTree | null)[]
): readonly (readonly Placed[])[] {
	const units = lists.filter((list) => list !== null).length;
	const mean = (numbers: readonly number[]) =>
		[...numbers].sort((a, b) => a - b).reduce((sum, one) => sum + one, 0) / numbers.length;
	const common = rows.filter(({ length }) => length === units);
	const before = lists.map((list) => new Array<number>((list ?? []).length + 1).fill(0));
	for (const row of common) for (const { unit, rank } of row) before[unit]![rank + 1]!++;
	for (const counts of before) for (let at = 1; at < counts.length; at++) counts[at]! += counts[at - 1]!;
	const place = (row: readonly Placed[]) => ({
		row,
		anchor: mean(row.map(({ unit, rank }) => before[unit]![rank]!)),
		rank: mean(row.map(({ rank }) => rank)),
		words: [...row.map(({ node }) => statementOf(node))].sort()[0]!
	});
	return rows
		.map(place)
		.sort(
			(a, b) => a.anchor - b.anchor || a.rank - b.rank || (a.words < b.words ? -1 : a.words > b.words ? 1 : 0)
		)
		.map(({ row }) => row);
}
