import { byMark, type Meaning, type Meanings } from './meaning';
import { statementOf, type ConfigNode } from './tree';

/** How the children of two blocks belong together. Each stands in one of these, none is left out. */
export interface Pairing {
	/** Means the same. */
	readonly equal: readonly Pair[];
	/** The same block with other contents. */
	readonly blocks: readonly Pair[];
	/** The same setting with another value. */
	readonly settings: readonly Pair[];
	readonly onlyLeft: readonly ConfigNode[];
	readonly onlyRight: readonly ConfigNode[];
}
export interface Pair {
	readonly left: ConfigNode;
	readonly right: ConfigNode;
}

/** Of more siblings than these that nothing tells apart, not each is held against each. */
const MOST_COMPARED = 64;

/**
 * Pairs the children of two blocks: what means the same; blocks with the same words; items of a list by their key, and
 * what nothing names by what it has in common (at most 64 on either side; beyond, by hash); then settings by their
 * first word. `list`: the head of what they stand in. Takes time in proportion to the two, but for sorting.
 */
export function pairChildren(
	left: readonly ConfigNode[],
	right: readonly ConfigNode[],
	list: string,
	meanings: Meanings
): Pairing {
	const { equal, onlyLeft, onlyRight } = equalPairs(left, right, meanings);
	const rest = new Set(onlyRight.sort(byMark));
	const sorted = onlyLeft.sort(byMark);
	const blocks: Pair[] = [];
	const keyOf = itemKey(left, right, meanings.rules.keys[list]);
	const groups = groupsOf(rest, (node) => blockKey(node, keyOf));
	const unpaired: Meaning[] = [];
	for (const [key, items] of groupsOf(sorted, (node) => blockKey(node, keyOf), unpaired)) {
		const others = groups.get(key) ?? [];
		const found = closest(items, others, meanings);
		for (const [one, twin] of found) {
			blocks.push({ left: one.node, right: twin.node });
			rest.delete(twin);
		}
		const paired = new Set(found.map(([one]) => one));
		unpaired.push(...items.filter((one) => !paired.has(one)));
	}
	if (keyOf) pairTheNameless(unpaired, rest, blocks, meanings);
	const settings: Pair[] = [];
	const queues = groupsOf(rest, settingKey);
	for (const queue of queues.values()) queue.reverse();
	const alone: ConfigNode[] = [];
	for (const { node } of unpaired) {
		const key = settingKey(node);
		const twin = key === null ? undefined : queues.get(key)?.pop();
		if (twin) {
			settings.push({ left: node, right: twin.node });
			rest.delete(twin);
		} else alone.push(node);
	}
	return { equal, blocks, settings, onlyLeft: alone, onlyRight: [...rest].map(({ node }) => node) };
}

function equalPairs(left: readonly ConfigNode[], right: readonly ConfigNode[], meanings: Meanings) {
	const waiting = new Map<number, Meaning[]>();
	const all = right.map((node) => meanings.of(node));
	for (const item of [...all].reverse()) {
		const queue = waiting.get(item.id);
		if (queue) queue.push(item);
		else waiting.set(item.id, [item]);
	}
	const [equal, onlyLeft, taken]: [Pair[], Meaning[], Set<Meaning>] = [[], [], new Set()];
	for (const node of left) {
		const item = meanings.of(node);
		const twin = waiting.get(item.id)?.pop();
		if (!twin) onlyLeft.push(item);
		else {
			taken.add(twin);
			equal.push({ left: node, right: twin.node });
		}
	}
	return { equal, onlyLeft, onlyRight: all.filter((item) => !taken.has(item)) };
}

/** In their order, by key; those without one go to `keyless`. */
function groupsOf(
	items: Iterable<Meaning>,
	keyOf: (node: ConfigNode) => string | null,
	keyless: Meaning[] = []
): Map<string, Meaning[]> {
	const groups = new Map<string, Meaning[]>();
	for (const item of items) {
		const key = keyOf(item.node);
		if (key === null) keyless.push(item);
		else {
			const group = groups.get(key);
			if (group) group.push(item);
			else groups.set(key, [item]);
		}
	}
	return groups;
}

type KeyOf = (item: ConfigNode) => string | null;

/** What two blocks share that are the same block with other contents; null for what is no block. */
function blockKey(node: ConfigNode, keyOf: KeyOf | null): string | null {
	const { kind, head, rest } = node;
	if (kind === 'leaf') return null;
	if (head === '' && keyOf) return keyOf(node);
	return JSON.stringify([kind, head, rest]);
}
/** What two statements share that are the same setting with another value. */
const settingKey = ({ kind, head }: ConfigNode): string | null =>
	kind === 'leaf' && head !== '' ? head : null;

const memberOf = (item: ConfigNode, name: string): string | null =>
	item.children.find(({ head, kind }) => head === name && kind === 'leaf')?.rest ?? null;

/**
 * How the items of a list (blocks without a head) are told apart: by the keys that the maker's rules name, else by the
 * member that all of them have, each with another value, and of whose values most are on both sides. Null where there
 * are no such items.
 */
function itemKey(
	left: readonly ConfigNode[],
	right: readonly ConfigNode[],
	named: readonly string[] | undefined
): KeyOf | null {
	const isItem = ({ head, kind }: ConfigNode) => head === '' && kind === 'block';
	const [these, those] = [left.filter(isItem), right.filter(isItem)];
	if (these.length + those.length === 0) return null;
	const names = named ?? bestMember(these, those);
	return (item) => {
		const values = names.map((name) => memberOf(item, name));
		return values.length === 0 || values.includes(null) ? null : JSON.stringify(values);
	};
}

function bestMember(these: readonly ConfigNode[], those: readonly ConfigNode[]): readonly string[] {
	const first = (these[0] ?? those[0])!;
	let best: { readonly name: string; readonly shared: number } | null = null;
	// More members than these has no item of a branch unit
	for (const { head, kind } of first.children.slice(0, MOST_COMPARED)) {
		if (kind !== 'leaf') continue;
		const sides = [these, those].map((items) => items.map((item) => memberOf(item, head)));
		if (sides.some((values) => values.includes(null) || new Set(values).size < values.length)) continue;
		const others = new Set(sides[1]);
		const shared = sides[0]!.filter((value) => others.has(value)).length;
		if (!best || shared > best.shared) best = { name: head, shared };
	}
	return best ? [best.name] : [];
}

/** Items that no key pairs, by what they have in common; only those that have something. */
function pairTheNameless(unpaired: Meaning[], rest: Set<Meaning>, blocks: Pair[], meanings: Meanings): void {
	const isItem = ({ node }: Meaning) => node.head === '' && node.kind === 'block';
	const found = closest(unpaired.filter(isItem), [...rest].filter(isItem), meanings, 1);
	for (const [one, twin] of found) {
		blocks.push({ left: one.node, right: twin.node });
		unpaired.splice(unpaired.indexOf(one), 1);
		rest.delete(twin);
	}
}

/** Pairs of two groups, those with most children in common first; beyond what is held against each other, in their order. */
function closest(
	left: readonly Meaning[],
	right: readonly Meaning[],
	meanings: Meanings,
	least = 0
): (readonly [Meaning, Meaning])[] {
	if (left.length === 0 || right.length === 0) return [];
	if (left.length === 1 && right.length === 1 && least === 0) return [[left[0]!, right[0]!]];
	const pairs: (readonly [Meaning, Meaning])[] = [];
	const [near, far] = [left.slice(0, MOST_COMPARED), right.slice(0, MOST_COMPARED)];
	const childIds = ({ node }: Meaning) => new Set(node.children.map((child) => meanings.of(child).id));
	const sets = far.map(childIds);
	const likenesses = near.flatMap((one) => {
		const own = [...childIds(one)];
		return far.map((other, at) => ({
			one,
			other,
			common: own.filter((id) => sets[at]!.has(id)).length,
			apart: Math.abs(own.length - sets[at]!.size),
			// The same whichever side is asked about
			marks: [one.mark, other.mark].sort().join('')
		}));
	});
	likenesses.sort((a, b) => b.common - a.common || a.apart - b.apart || (a.marks < b.marks ? -1 : 1));
	const taken = new Set<Meaning>();
	for (const { one, other, common } of likenesses) {
		if (common < least || taken.has(one) || taken.has(other)) continue;
		taken.add(one).add(other);
		pairs.push([one, other]);
	}
	const [more, others] = [left, right].map((all) => all.slice(MOST_COMPARED)) as [Meaning[], Meaning[]];
	if (least === 0)
		for (let at = 0; at < Math.min(more.length, others.length); at++) pairs.push([more[at]!, others[at]!]);
	return pairs;
}

/** How a node is called among its siblings: its statement; for an item of a list, its key or its first member. */
export function labelOf(node: ConfigNode, keys: readonly string[] = []): string {
	const statement = statementOf(node);
	if (statement !== '' || node.children.length === 0) return statement;
	const named = keys.flatMap((name) => memberOf(node, name) ?? []);
	if (named.length > 0) return named.join(' ');
	const first = node.children.find(({ kind, head }) => kind === 'leaf' && head !== '') ?? node.children[0]!;
	return labelOf(first);
}
