import { BITS, type Version } from './address';
import { contains, type Prefix } from './prefix';

/**
 * Free space of a block of addresses, as a binary tree cut where it is used: each node knows the shortest
 * prefix length that is still free below it, so that finding, taking and giving back cost one walk down
 * the tree, however many blocks are used. Plain values: each act gives a new space and leaves the old.
 */
export interface Space {
	readonly block: Prefix;
	readonly root: Node;
}
interface Inner {
	readonly low: Node;
	readonly high: Node;
	/** The length of the largest free block below; more than the address has bits when none is. */
	readonly largest: number;
}
type Node = 'free' | 'used' | Inner;

/** How the place of a new block is chosen. */
export const SPLIT_POLICIES = ['next-free', 'reserve-for-growth'] as const;
/**
 * - `next-free`: the lowest free place
 * - `reserve-for-growth`: the lowest place whose neighbour of the same size is free as well, so that the
 *   block can later be doubled where it is; the lowest free place when there is no such
 */
export type SplitPolicy = (typeof SPLIT_POLICIES)[number];

const NONE_FREE = 200;

export const emptySpace = (block: Prefix): Space => ({ block, root: 'free' });

const largestFree = (node: Node, length: number): number =>
	node === 'free' ? length : node === 'used' ? NONE_FREE : node.largest;

function join(low: Node, high: Node, length: number): Node {
	if (low === 'free' && high === 'free') return 'free';
	if (low === 'used' && high === 'used') return 'used';
	return { low, high, largest: Math.min(largestFree(low, length + 1), largestFree(high, length + 1)) };
}

const halvesOf = (node: Node): readonly [Node, Node] =>
	node === 'free' || node === 'used' ? [node, node] : [node.low, node.high];

/** Whether the bit after the first `length` of an address is set. */
const isHigh = ({ version, base }: Pick<Prefix, 'version' | 'base'>, length: number): boolean =>
	((base >> BigInt(BITS[version] - length - 1)) & 1n) === 1n;

/** The tree with all below one block set to `state`. */
function mark(node: Node, at: number, block: Prefix, state: 'free' | 'used'): Node {
	if (at === block.length) return state;
	const [low, high] = halvesOf(node);
	return isHigh(block, at)
		? join(low, mark(high, at + 1, block, state), at)
		: join(mark(low, at + 1, block, state), high, at);
}

/** Whether every address of a block is free. */
export function isFree(space: Space, block: Prefix): boolean {
	if (!contains(space.block, block)) return false;
	let node = space.root;
	for (let at = space.block.length; at < block.length && typeof node === 'object'; at++)
		node = isHigh(block, at) ? node.high : node.low;
	return node === 'free';
}

/** Marks a block as used. What lies outside the space changes nothing; taking twice is taking once. */
export const take = (space: Space, block: Prefix): Space =>
	contains(space.block, block)
		? { ...space, root: mark(space.root, space.block.length, block, 'used') }
		: contains(block, space.block)
			? { ...space, root: 'used' }
			: space;

/** Gives a block back. Law: `release(take(space, block), block)` is `space` when the block was free. */
export const release = (space: Space, block: Prefix): Space =>
	contains(space.block, block)
		? { ...space, root: mark(space.root, space.block.length, block, 'free') }
		: space;

/**
 * Finds a place for a block of a length. Laws: it lies in the space, is free and aligned to its own
 * length; null exactly when no free block is large enough. Does not take it.
 */
export function findFree(space: Space, length: number, policy: SplitPolicy = 'next-free'): Prefix | null {
	if (length < space.block.length || length > BITS[space.block.version]) return null;
	if (policy === 'reserve-for-growth' && length > space.block.length) {
		const roomy = lowestFree(space, length - 1);
		if (roomy) return { ...roomy, length };
	}
	return lowestFree(space, length);
}

function lowestFree({ block, root }: Space, length: number): Prefix | null {
	let node = root;
	let { base, length: at } = block;
	if (largestFree(node, at) > length) return null;
	while (typeof node === 'object') {
		at++;
		const [low, high] = halvesOf(node);
		const goesLow: boolean = largestFree(low, at) <= length;
		node = goesLow ? low : high;
		if (!goesLow) base |= 1n << BigInt(BITS[block.version] - at);
	}
	return { version: block.version, base, length };
}

/** A stretch of a space that is wholly used or wholly free. */
export interface Stretch {
	readonly block: Prefix;
	readonly state: 'free' | 'used';
}

/** The space as the fewest aligned stretches, lowest first. Law: together they are the whole space, once. */
export function stretches({ block, root }: Space): Stretch[] {
	const found: Stretch[] = [];
	const walk = (node: Node, { version, base, length }: Prefix): void => {
		if (typeof node === 'string') {
			found.push({ block: { version, base, length }, state: node });
			return;
		}
		walk(node.low, { version, base, length: length + 1 });
		walk(node.high, { version, base: base | (1n << BigInt(BITS[version] - length - 1)), length: length + 1 });
	};
	walk(root, block);
	return found;
}

/** How many more blocks of a length fit, counting up to `most`. */
export function roomFor(space: Space, length: number, most = 1_000_000_000): number {
	let room = 0n;
	for (const { block, state } of stretches(space))
		if (state === 'free' && block.length <= length) room += 1n << BigInt(length - block.length);
	return room > BigInt(most) ? most : Number(room);
}

/**
 * Places for so many blocks at once, each taken before the next is sought.
 * Law: no two overlap, and none overlaps what was used. Says how many found no place.
 */
export function allot(
	space: Space,
	length: number,
	count: number,
	policy: SplitPolicy = 'next-free'
): { readonly space: Space; readonly blocks: readonly Prefix[]; readonly missing: number } {
	const blocks: Prefix[] = [];
	let left = space;
	for (let turn = 0; turn < count; turn++) {
		const block = findFree(left, length, policy);
		if (!block) break;
		blocks.push(block);
		left = take(left, block);
	}
	return { space: left, blocks, missing: count - blocks.length };
}

/** A number range as a space of its own: number n is the address n above the first. Both ends included. */
export function numberSpace(first: number, last: number): Space {
	const version: Version = 4;
	let space = emptySpace({ version, base: 0n, length: 0 });
	for (const block of blocksBetween(version, 0n, BigInt(first))) space = take(space, block);
	for (const block of blocksBetween(version, BigInt(last) + 1n, 1n << 32n)) space = take(space, block);
	return space;
}

/** The fewest aligned blocks that make up the addresses from `from` up to but without `to`. */
export function blocksBetween(version: Version, from: bigint, to: bigint): Prefix[] {
	const blocks: Prefix[] = [];
	let base = from;
	while (base < to) {
		let length = BITS[version];
		for (;;) {
			const size = 1n << BigInt(BITS[version] - length + 1);
			if (length === 0 || base % size !== 0n || base + size > to) break;
			length--;
		}
		blocks.push({ version, base, length });
		base += 1n << BigInt(BITS[version] - length);
	}
	return blocks;
}

/** Names the blocks that overlap another of the same list, each with the first it overlaps. */
export function overlaps(blocks: readonly Prefix[]): readonly (readonly [Prefix, Prefix])[] {
	const sorted = [...blocks].sort(
		(a, b) => a.version - b.version || (a.base < b.base ? -1 : a.base > b.base ? 1 : a.length - b.length)
	);
	const found: (readonly [Prefix, Prefix])[] = [];
	let outer: Prefix | null = null;
	for (const block of sorted) {
		if (outer && contains(outer, block)) found.push([outer, block]);
		else outer = block;
	}
	return found;
}
