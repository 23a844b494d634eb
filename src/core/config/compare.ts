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
 * matter. Takes time in proportion to the two, but for sorting what differs.
 * Laws: a tree has no difference to itself, nor to itself with unordered children shuffled; swapping the
 * arguments swaps `missing` and `extra` and keeps the rest.
 */
export function compareTrees(
	intended: ConfigTree,
	running: ConfigTree,
	ordered: OrderedHeads = NONE
): ConfigDifference[] {
	const differences: ConfigDifference[] = [];
	compareChildren(intended, running, [], false, new Meanings(ordered), differences);
	return differences;
}

function compareChildren(
	intended: readonly ConfigNode[],
	running: readonly ConfigNode[],
	path: readonly string[],
	inOrder: boolean,
	meanings: Meanings,
	differences: ConfigDifference[]
): void {
	const left = intended.map((node) => meanings.of(node));
	const right = running.map((node) => meanings.of(node));
	const { onlyLeft, onlyRight } = withoutEqual(left, right);
	if (onlyLeft.length === 0 && onlyRight.length === 0) {
		const moved = inOrder ? left.findIndex((item, i) => item.id !== right[i]!.id) : -1;
		if (moved < 0) return;
		differences.push({
			path,
			kind: 'order',
			intended: left.map(({ node }) => statementOf(node)).join('\n'),
			running: right.map(({ node }) => statementOf(node)).join('\n'),
			intendedLine: left[moved]!.node.line,
			runningLine: right[moved]!.node.line
		});
		return;
	}
	const rest = new Set([...onlyRight].sort(byMark));
	const blocks = queuesOf(rest, blockKey);
	const unpaired: Meaning[] = [];
	for (const item of [...onlyLeft].sort(byMark)) {
		const twin = takeFrom(blocks, blockKey(item.node), rest);
		if (twin)
			compareChildren(
				item.node.children,
				twin.node.children,
				[...path, statementOf(item.node)],
				meanings.isOrdered(item.node),
				meanings,
				differences
			);
		else unpaired.push(item);
	}
	const settings = queuesOf(rest, settingKey);
	for (const item of unpaired) {
		const changed = takeFrom(settings, settingKey(item.node), rest);
		differences.push(difference(path, changed ? 'changed' : 'missing', item.node, changed?.node ?? null));
	}
	for (const item of rest) differences.push(difference(path, 'extra', null, item.node));
}

/** What a node means, whatever the order of what means nothing by its order. */
interface Meaning {
	readonly node: ConfigNode;
	/** The same for two nodes exactly when they mean the same. */
	readonly id: number;
	/** Depends on the meaning alone; two that differ hardly ever share it. Only for putting them in an order. */
	readonly mark: string;
}

/** The meanings of the nodes of one comparison, each worked out once: its own words and its children's ids. */
class Meanings {
	readonly #known = new Map<ConfigNode, Meaning>();
	readonly #ids = new Map<string, number>();
	constructor(readonly ordered: OrderedHeads) {}

	isOrdered(node: ConfigNode): boolean {
		return node.kind === 'list' || this.ordered.has(node.head);
	}

	of(node: ConfigNode): Meaning {
		const known = this.#known.get(node);
		if (known) return known;
		const children = node.children.map((child) => this.of(child));
		if (!this.isOrdered(node)) children.sort((a, b) => a.id - b.id);
		const words = JSON.stringify([node.kind, node.head, node.rest]);
		const key = `${words}${children.map(({ id }) => id).join()}`;
		let id = this.#ids.get(key);
		if (id === undefined) this.#ids.set(key, (id = this.#ids.size));
		if (!this.isOrdered(node)) children.sort(byMark);
		const meaning = { node, id, mark: markOf(`${words}${children.map(({ mark }) => mark).join()}`) };
		this.#known.set(node, meaning);
		return meaning;
	}
}

/** Two 32-bit FNV-1a hashes of a text, from different beginnings. */
function markOf(text: string): string {
	let [a, b] = [0x811c9dc5, 0x9747b28c];
	for (let at = 0; at < text.length; at++) {
		const code = text.charCodeAt(at);
		a = Math.imul(a ^ code, 0x01000193);
		b = Math.imul(b ^ code, 0x01000193) ^ (b >>> 15);
	}
	return (a >>> 0).toString(36).padStart(7, '0') + (b >>> 0).toString(36).padStart(7, '0');
}

const byMark = (a: Meaning, b: Meaning) => (a.mark < b.mark ? -1 : a.mark > b.mark ? 1 : a.id - b.id);

/** What two blocks share that are the same block with other contents; null for what is no block. */
const blockKey = ({ kind, head, rest }: ConfigNode): string | null =>
	kind === 'leaf' ? null : JSON.stringify([kind, head, rest]);
/** What two statements share that are the same setting with another value. */
const settingKey = ({ kind, head }: ConfigNode): string | null =>
	kind === 'leaf' && head !== '' ? head : null;

type Queues = ReadonlyMap<string, Meaning[]>;

/** Items by their key, the last of each key first, so that taking one costs nothing. */
function queuesOf(items: Iterable<Meaning>, keyOf: (node: ConfigNode) => string | null): Queues {
	const queues = new Map<string, Meaning[]>();
	for (const item of [...items].reverse()) {
		const key = keyOf(item.node);
		if (key === null) continue;
		const queue = queues.get(key);
		if (queue) queue.push(item);
		else queues.set(key, [item]);
	}
	return queues;
}

function takeFrom(queues: Queues, key: string | null, rest: Set<Meaning>): Meaning | undefined {
	const taken = key === null ? undefined : queues.get(key)?.pop();
	if (taken) rest.delete(taken);
	return taken;
}

function withoutEqual(left: readonly Meaning[], right: readonly Meaning[]) {
	const count = new Map<number, number>();
	for (const { id } of right) count.set(id, (count.get(id) ?? 0) + 1);
	const onlyLeft = left.filter(({ id }) => !spend(count, id));
	const onlyRight = right.filter(({ id }) => spend(count, id));
	return { onlyLeft, onlyRight };
}

function spend(count: Map<number, number>, id: number): boolean {
	const left = count.get(id) ?? 0;
	if (left > 0) count.set(id, left - 1);
	return left > 0;
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
export const inOrderOf = (
	intended: ConfigTree,
	running: ConfigTree,
	ordered: OrderedHeads = NONE
): ConfigTree => alignedWith(intended, running, new Meanings(ordered));

function alignedWith(intended: ConfigTree, running: ConfigTree, meanings: Meanings): ConfigTree {
	const likeness: readonly ((node: ConfigNode) => string)[] = [
		(node) => String(meanings.of(node).id),
		({ kind, head, rest }) => JSON.stringify([kind, head, rest]),
		({ kind, head }) => JSON.stringify([kind, head])
	];
	const places = new Map<ConfigNode, number>();
	const taken = new Set<number>();
	for (const keyOf of likeness) {
		const free = new Map<string, number[]>();
		for (let at = intended.length - 1; at >= 0; at--) {
			if (taken.has(at)) continue;
			const key = keyOf(intended[at]!);
			const queue = free.get(key);
			if (queue) queue.push(at);
			else free.set(key, [at]);
		}
		for (const node of running) {
			const at = places.has(node) ? undefined : free.get(keyOf(node))?.pop();
			if (at === undefined) continue;
			places.set(node, at);
			taken.add(at);
		}
	}
	const place = (node: ConfigNode) => places.get(node) ?? intended.length;
	return [...running]
		.sort((a, b) => place(a) - place(b))
		.map((node) => {
			const twin = intended[place(node)];
			return !twin || meanings.isOrdered(node)
				? node
				: { ...node, children: alignedWith(twin.children, node.children, meanings) };
		});
}
