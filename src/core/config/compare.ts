import { Meanings, type Comparing } from './meaning';
import { labelOf, pairChildren, type Pair, type Pairing } from './pairing';
import type { ConfigNode, ConfigTree } from './tree';

/**
 * One difference between two configurations. `path` is the statements of the blocks around it.
 * - `missing`: intended, not running; `extra`: running, not intended
 * - `changed`: both have the statement, with another value
 * - `order`: it stands elsewhere among its siblings, where order matters
 */
export interface ConfigDifference {
	readonly path: readonly string[];
	readonly kind: 'missing' | 'extra' | 'changed' | 'order';
	readonly intended: string | null;
	readonly running: string | null;
	/** Line in the intended text, 0 when it has none. */
	readonly intendedLine: number;
	readonly runningLine: number;
	/** Of `order`: the statement that it should follow; null when it should be the first. */
	readonly after?: string | null;
}

/** A difference with its nodes. */
export interface TreeDifference {
	readonly said: ConfigDifference;
	/** The blocks around it, as they are intended. */
	readonly around: readonly ConfigNode[];
	readonly intendedNode: ConfigNode | null;
	readonly runningNode: ConfigNode | null;
}

/**
 * Compares the intended configuration with the running one, regardless of order where order does not
 * matter; where it does, as few statements as can be are said to stand elsewhere. Takes time in proportion to the two,
 * but for sorting what differs.
 * Laws: a tree has no difference to itself, nor to itself with unordered children shuffled; swapping the
 * arguments swaps `missing` and `extra` and keeps how many of the rest there are.
 */
export const compareTrees = (
	intended: ConfigTree,
	running: ConfigTree,
	rules: Comparing
): ConfigDifference[] => treeDifferences(intended, running, rules).map(({ said }) => said);

export function treeDifferences(
	intended: ConfigTree,
	running: ConfigTree,
	rules: Comparing
): TreeDifference[] {
	const differences: TreeDifference[] = [];
	const meanings = new Meanings(rules);
	differencesInside({ around: [], children: intended }, running, meanings, (one) => differences.push(one));
	return differences;
}

/** A block as it is intended, with the blocks around it from the outside in; at the top there is none. */
interface Level {
	readonly around: readonly ConfigNode[];
	readonly children: ConfigTree;
}

const isOrderedInside = (meanings: Meanings, { around }: Level): boolean =>
	around.length > 0 && meanings.isOrdered(around.at(-1)!);
const pairedAt = ({ around, children }: Level, running: ConfigTree, meanings: Meanings): Pairing =>
	pairChildren(children, running, around.at(-1)?.head ?? '', meanings);

function differencesInside(
	level: Level,
	running: ConfigTree,
	meanings: Meanings,
	tell: (difference: TreeDifference) => void
): void {
	// What is written alike at both ends is not looked at further, unless its order counts
	const [ours, theirs] = isOrderedInside(meanings, level)
		? [level.children, running]
		: withoutLikeEnds(level.children, running);
	if (ours.length === 0 && theirs.length === 0) return;
	const [our, their] = [ours[0], theirs[0]];
	// One block is left at either side and has the same words: there is nothing else that it could be a pair with
	if (ours.length === 1 && theirs.length === 1 && our!.kind === 'block' && isHeadedAlike(our!, their!))
		return differencesInside(
			{ around: [...level.around, our!], children: our!.children },
			their!.children,
			meanings,
			tell
		);
	const pairing = pairedAt({ ...level, children: ours }, theirs, meanings);
	const say = sayingAt(level, meanings);
	for (const { left, right } of pairing.blocks)
		differencesInside(
			{ around: [...level.around, left], children: left.children },
			right.children,
			meanings,
			tell
		);
	for (const { left, right } of pairing.settings) tell(say('changed', left, right));
	for (const node of pairing.onlyLeft) tell(say('missing', node, null));
	for (const node of pairing.onlyRight) tell(say('extra', null, node));
	for (const { pair, after } of movedIn(level, running, pairing, meanings))
		tell(say('order', pair.left, pair.right, after));
}

const isHeadedAlike = (one: ConfigNode, other: ConfigNode): boolean =>
	one.rest === other.rest && one.head === other.head && one.kind === other.kind;

/** Whether two statements are written alike, with all that is inside: then they mean the same. */
const isWrittenAlike = (one: ConfigNode, other: ConfigNode): boolean =>
	isHeadedAlike(one, other) &&
	one.children.length === other.children.length &&
	one.children.every((child, at) => isWrittenAlike(child, other.children[at]!));

function withoutLikeEnds(ours: ConfigTree, theirs: ConfigTree): [ConfigTree, ConfigTree] {
	const most = Math.min(ours.length, theirs.length);
	let first = 0;
	while (first < most && isWrittenAlike(ours[first]!, theirs[first]!)) first++;
	let last = 0;
	while (last < most - first && isWrittenAlike(ours.at(-1 - last)!, theirs.at(-1 - last)!)) last++;
	return [ours.slice(first, ours.length - last), theirs.slice(first, theirs.length - last)];
}

const label = ({ around }: Level, node: ConfigNode, { rules }: Meanings): string =>
	labelOf(node, rules.keys[around.at(-1)?.head ?? '']);

function sayingAt(level: Level, meanings: Meanings) {
	const path = level.around.map((node, depth) =>
		label({ around: level.around.slice(0, depth), children: [] }, node, meanings)
	);
	return (
		kind: ConfigDifference['kind'],
		intended: ConfigNode | null,
		running: ConfigNode | null,
		after?: ConfigNode | null
	): TreeDifference => ({
		said: {
			path,
			kind,
			intended: intended && label(level, intended, meanings),
			running: running && label(level, running, meanings),
			intendedLine: intended?.line ?? 0,
			runningLine: running?.line ?? 0,
			...(after !== undefined && { after: after && label(level, after, meanings) })
		},
		around: level.around,
		intendedNode: intended,
		runningNode: running
	});
}

interface Moved {
	readonly pair: Pair;
	/** What it should stand behind. */
	readonly after: ConfigNode | null;
}

/** Where order counts: the fewest statements that have to be put elsewhere, with what each should follow. */
function movedIn(level: Level, running: ConfigTree, pairing: Pairing, meanings: Meanings): Moved[] {
	if (!isOrderedInside(meanings, level)) return [];
	const { equal, blocks, settings } = pairing;
	const twins = new Map([...equal, ...blocks, ...settings].map((pair) => [pair.left, pair]));
	const places = new Map(running.map((node, at) => [node, at]));
	const common = level.children.filter((node) => twins.has(node));
	const staying = longestRise(common.map((node) => places.get(twins.get(node)!.right)!));
	return common.flatMap((node, at) =>
		staying.has(at) ? [] : [{ pair: twins.get(node)!, after: common[at - 1] ?? null }]
	);
}

/** The indices of a longest rising subsequence of distinct numbers (Schensted's patience sorting, n log n). */
function longestRise(numbers: readonly number[]): ReadonlySet<number> {
	const tops: number[] = [];
	const before: number[] = [];
	numbers.forEach((number, index) => {
		let [low, high] = [0, tops.length];
		while (low < high) {
			const middle = (low + high) >> 1;
			if (numbers[tops[middle]!]! < number) low = middle + 1;
			else high = middle;
		}
		before[index] = tops[low - 1] ?? -1;
		tops[low] = index;
	});
	const rise = new Set<number>();
	for (let at = tops.at(-1) ?? -1; at >= 0; at = before[at]!) rise.add(at);
	return rise;
}

/**
 * What runs once the chosen differences are put right and the others left as they are. Laws: with all of them chosen it
 * means what is intended, with none what runs; order aside, and where words tell all blocks apart that stand side by side,
 * it never differs from what is intended in more places than before. Of items without words of their own others may
 * belong together afterwards.
 */
export const broughtTo = (
	intended: ConfigTree,
	running: ConfigTree,
	rules: Comparing,
	chosen: (difference: TreeDifference) => boolean
): ConfigTree => broughtInside({ around: [], children: intended }, running, new Meanings(rules), chosen);

/** A cell of a chain in which something can be put behind anything at once. */
interface Cell {
	node: ConfigNode | null;
	next: Cell | null;
}

function broughtInside(
	level: Level,
	running: ConfigTree,
	meanings: Meanings,
	chosen: (difference: TreeDifference) => boolean
): ConfigTree {
	const pairing = pairedAt(level, running, meanings);
	const say = sayingAt(level, meanings);
	const twins = new Map(
		[...pairing.equal, ...pairing.blocks, ...pairing.settings].map((pair) => [pair.left, pair])
	);
	const become = new Map<ConfigNode, ConfigNode | null>();
	for (const { left, right } of pairing.blocks)
		become.set(right, {
			...right,
			children: broughtInside(
				{ around: [...level.around, left], children: left.children },
				right.children,
				meanings,
				chosen
			)
		});
	for (const { left, right } of pairing.settings)
		if (chosen(say('changed', left, right))) become.set(right, left);
	for (const node of pairing.onlyRight) if (chosen(say('extra', null, node))) become.set(node, null);
	const coming = new Set(pairing.onlyLeft.filter((node) => chosen(say('missing', node, null))));
	const moving = new Set<ConfigNode>();
	for (const { pair, after } of movedIn(level, running, pairing, meanings))
		if (chosen(say('order', pair.left, pair.right, after))) moving.add(pair.left);
	const first: Cell = { node: null, next: null };
	const cells = new Map<ConfigNode, Cell>();
	let last = first;
	for (const node of running) {
		last = last.next = { node: become.has(node) ? become.get(node)! : node, next: null };
		cells.set(node, last);
	}
	let behind = first;
	for (const node of level.children) {
		const twin = twins.get(node);
		let cell = twin && cells.get(twin.right);
		if (coming.has(node) || (cell && moving.has(node))) {
			const moved: Cell = { node: cell ? cell.node : node, next: behind.next };
			if (cell) cell.node = null;
			behind.next = moved;
			cell = moved;
		}
		if (cell) behind = cell;
	}
	const brought: ConfigNode[] = [];
	for (let cell = first.next; cell; cell = cell.next) if (cell.node) brought.push(cell.node);
	return brought;
}

/**
 * The running configuration in the order of the intended one, wherever order means nothing, so that the
 * two can be read side by side. Law: it is the same configuration (no difference to the running one).
 */
export const inOrderOf = (intended: ConfigTree, running: ConfigTree, rules: Comparing): ConfigTree =>
	alignedWith({ around: [], children: intended }, running, new Meanings(rules));

function alignedWith(level: Level, running: ConfigTree, meanings: Meanings): ConfigTree {
	const { equal, blocks, settings } = pairedAt(level, running, meanings);
	const twinOf = new Map([...equal, ...blocks, ...settings].map(({ left, right }) => [right, left]));
	const places = new Map(level.children.map((node, at) => [node, at]));
	const aligned = running.map((node) => {
		const twin = twinOf.get(node);
		return {
			at: (twin && places.get(twin)) ?? level.children.length,
			node: twin
				? {
						...node,
						children: alignedWith(
							{ around: [...level.around, twin], children: twin.children },
							node.children,
							meanings
						)
					}
				: node
		};
	});
	if (!isOrderedInside(meanings, level)) aligned.sort((a, b) => a.at - b.at);
	return aligned.map(({ node }) => node);
}
