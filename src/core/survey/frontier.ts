import {
	hostOf,
	holdsAddress,
	parseAddress,
	parsePrefix,
	printAddress,
	sizeOf,
	type Prefix
} from '../address';
import type { Heard } from './sighting';

/** So many addresses a survey begins with, and so many it comes to. */
export const MOST_SEEDS = 4_096;
export const MOST_ADDRESSES = 10_000;

export type Seeds =
	| { readonly ok: true; readonly addresses: readonly string[] }
	| { readonly ok: false; readonly problem: string };

/**
 * The addresses that a survey begins with: single ones, and all hosts of ranges, each once in the order given. Rejects what is
 * neither, what does not lie in the allowed ranges, and too many, with their number.
 */
export function seedsFrom(typed: readonly string[], allowed: readonly string[]): Seeds {
	const addresses = new Set<string>();
	let count = 0n;
	for (const one of typed) {
		const prefix = prefixOf(one);
		if (!prefix) return problem(`“${one.slice(0, 60)}” is neither an address nor a range.`);
		count += sizeOf(prefix);
		if (count > BigInt(MOST_SEEDS))
			return problem(
				`These are ${count.toLocaleString('en')} addresses; a survey begins with ${MOST_SEEDS.toLocaleString('en')} at most. Begin with one or two: it goes on by itself.`
			);
		for (const host of hostsOf(prefix)) addresses.add(host);
	}
	if (addresses.size === 0) return problem('Say where to begin.');
	const ranges = rangesOf(allowed);
	const outside = [...addresses].find((address) => !isAllowed(address, ranges));
	return outside === undefined
		? { ok: true, addresses: [...addresses] }
		: problem(`${outside} lies in none of the ranges that the survey may touch.`);
}
const problem = (words: string): Seeds => ({ ok: false, problem: words });
function prefixOf(text: string): Prefix | null {
	const address = parseAddress(text);
	return address
		? { version: address.version, base: address.value, length: address.version === 4 ? 32 : 128 }
		: parsePrefix(text);
}
function* hostsOf(prefix: Prefix): Generator<string> {
	const isSingle = sizeOf(prefix) <= 2n;
	for (let number = isSingle ? 0n : 1n; ; number++) {
		const host = hostOf(prefix, number);
		if (!host) return;
		yield printAddress(host);
	}
}

export const rangesOf = (allowed: readonly string[]): readonly Prefix[] =>
	allowed.flatMap((range) => parsePrefix(range) ?? []);
export function isAllowed(address: string, ranges: readonly Prefix[]): boolean {
	const read = parseAddress(address);
	return read !== null && ranges.some((range) => holdsAddress(range, read));
}

/** Where a survey goes on from what one address heard. */
export interface Onward {
	/** To be asked next. */
	readonly go: readonly string[];
	/** Heard of, and not to be touched: they lie outside, or too many steps away. */
	readonly outside: readonly string[];
	readonly tooFar: readonly string[];
}

/**
 * The addresses of those that were heard, and of chassis that an address table knows (`addressOf`), each once, as far as they are
 * addresses at all. Law: what is to be asked lies in the ranges, whatever was heard.
 */
export function onwardFrom(
	heard: readonly Heard[],
	addressOf: (chassis: string) => string | undefined,
	{
		ranges,
		depth,
		deepest
	}: { readonly ranges: readonly Prefix[]; readonly depth: number; readonly deepest: number }
): Onward {
	const addresses = new Set(
		heard.flatMap(({ address, chassis }) => {
			const read = parseAddress(address) ?? parseAddress(addressOf(chassis) ?? '');
			return read ? [printAddress(read)] : [];
		})
	);
	const allowed = [...addresses].filter((address) => isAllowed(address, ranges));
	return {
		go: depth < deepest ? allowed : [],
		outside: [...addresses].filter((address) => !isAllowed(address, ranges)),
		tooFar: depth < deepest ? [] : allowed
	};
}
