import { statementOf, type ConfigNode, type ConfigTree } from './tree';

/**
 * One difference between two configurations. `path` is the statements of the blocks around it.
 * - `missing`: intended, not running; `extra`: running, not intended
 * - `changed`: both have the statement, with another value
 * - `order`: the same statements in another order, where order matters
 */
export interface ConfigDifference {
	readonly path: readonly string[];
	readonly kind: 'missing' | 'extra' | 'changed' | 'order';
	readonly intended: string | null;
	readonly running: string | null;
	/** Line in the intended text, 0 when it has none. */
	readonly intendedLine: number;
	readonly runningLine: number;
}

/** Heads of the blocks whose children are tried in order (filter rules, preference lists). JSON lists always are. */
export type OrderedHeads = ReadonlySet<string>;
const NONE: OrderedHeads = new Set();

/**
 * Compares the intended configuration with the running one, regardless of order where order does not
 * matter.
 * Laws: a tree has no difference to itself, nor to itself with unordered children shuffled; swapping the
 * arguments swaps `missing` and `extra` and keeps the rest.
 */
export function compareTrees(
	intended: ConfigTree,
	running: ConfigTree,
	ordered: OrderedHeads = NONE
): ConfigDifference[] {
	return compareChildren(intended, running, [], false, ordered);
}

function compareChildren(
	intended: readonly ConfigNode[],
	running: readonly ConfigNode[],
	path: readonly string[],
	inOrder: boolean,
	ordered: OrderedHeads
): ConfigDifference[] {
	const left = intended.map((node) => ({ node, print: canonical(node, ordered) }));
	const right = running.map((node) => ({ node, print: canonical(node, ordered) }));
	const { onlyLeft, onlyRight } = withoutEqual(left, right);
	if (onlyLeft.length === 0 && onlyRight.length === 0) {
		const moved = inOrder ? left.findIndex((item, i) => item.print !== right[i]!.print) : -1;
		if (moved < 0) return [];
		return [
			{
				path,
				kind: 'order',
				intended: left.map(({ node }) => statementOf(node)).join('\n'),
				running: right.map(({ node }) => statementOf(node)).join('\n'),
				intendedLine: left[moved]!.node.line,
				runningLine: right[moved]!.node.line
			}
		];
	}
	const differences: ConfigDifference[] = [];
	const rightLeft = [...onlyRight].sort(byPrint);
	const unpaired: Printed[] = [];
	for (const item of [...onlyLeft].sort(byPrint)) {
		const twin = take(rightLeft, (other) => sameBlock(item.node, other.node));
		if (twin)
			differences.push(
				...compareChildren(
					item.node.children,
					twin.node.children,
					[...path, statementOf(item.node)],
					isOrdered(item.node, ordered),
					ordered
				)
			);
		else unpaired.push(item);
	}
	for (const item of unpaired) {
		const changed = take(rightLeft, (other) => sameSetting(item.node, other.node));
		differences.push(difference(path, changed ? 'changed' : 'missing', item.node, changed?.node ?? null));
	}
	for (const item of rightLeft) differences.push(difference(path, 'extra', null, item.node));
	return differences;
}

interface Printed {
	readonly node: ConfigNode;
	readonly print: string;
}

const byPrint = (a: Printed, b: Printed) => (a.print < b.print ? -1 : a.print > b.print ? 1 : 0);
const isOrdered = (node: ConfigNode, ordered: OrderedHeads) => node.kind === 'list' || ordered.has(node.head);
const sameBlock = (a: ConfigNode, b: ConfigNode) =>
	a.kind !== 'leaf' && a.kind === b.kind && a.head === b.head && a.rest === b.rest;
const sameSetting = (a: ConfigNode, b: ConfigNode) =>
	a.kind === 'leaf' && b.kind === 'leaf' && a.head === b.head && a.head !== '';

/** A text that is the same for two nodes exactly when they mean the same. */
function canonical(node: ConfigNode, ordered: OrderedHeads): string {
	const children = node.children.map((child) => canonical(child, ordered));
	if (!isOrdered(node, ordered)) children.sort();
	return JSON.stringify([node.kind, node.head, node.rest, children]);
}

function withoutEqual(left: readonly Printed[], right: readonly Printed[]) {
	const count = new Map<string, number>();
	for (const { print } of right) count.set(print, (count.get(print) ?? 0) + 1);
	const onlyLeft = left.filter(({ print }) => !spend(count, print));
	const onlyRight = right.filter(({ print }) => spend(count, print));
	return { onlyLeft, onlyRight };
}

function spend(count: Map<string, number>, print: string): boolean {
	const left = count.get(print) ?? 0;
	if (left > 0) count.set(print, left - 1);
	return left > 0;
}

function take(items: Printed[], fits: (item: Printed) => boolean): Printed | undefined {
	const index = items.findIndex(fits);
	return index < 0 ? undefined : items.splice(index, 1)[0];
}

const difference = (
	path: readonly string[],
	kind: ConfigDifference['kind'],
	intended: ConfigNode | null,
	running: ConfigNode | null
): ConfigDifference => ({
	path,
	kind,
	intended: intended && statementOf(intended),
	running: running && statementOf(running),
	intendedLine: intended?.line ?? 0,
	runningLine: running?.line ?? 0
});

/**
 * The running configuration in the order of the intended one, wherever order means nothing, so that the
 * two can be read side by side. Law: it is the same configuration (no difference to the running one).
 */
export function inOrderOf(
	intended: ConfigTree,
	running: ConfigTree,
	ordered: OrderedHeads = NONE
): ConfigTree {
	const prints = new Map([...intended, ...running].map((node) => [node, canonical(node, ordered)]));
	const likeness: readonly ((a: ConfigNode, b: ConfigNode) => boolean)[] = [
		(a, b) => prints.get(a) === prints.get(b),
		(a, b) => a.kind === b.kind && a.head === b.head && a.rest === b.rest,
		(a, b) => a.kind === b.kind && a.head === b.head
	];
	const places = new Map<ConfigNode, number>();
	const twins = new Map<ConfigNode, ConfigNode>();
	for (const alike of likeness)
		for (const node of running) {
			if (places.has(node)) continue;
			const at = intended.findIndex((other) => !twins.has(other) && alike(node, other));
			if (at < 0) continue;
			places.set(node, at);
			twins.set(intended[at]!, node);
		}
	const twinOf = new Map([...twins].map(([other, node]) => [node, other]));
	const place = (node: ConfigNode) => places.get(node) ?? intended.length;
	return [...running]
		.sort((a, b) => place(a) - place(b))
		.map((node) => {
			const twin = twinOf.get(node);
			return !twin || isOrdered(node, ordered)
				? node
				: { ...node, children: inOrderOf(twin.children, node.children, ordered) };
		});
}
