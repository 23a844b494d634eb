import {
	blockOf,
	BITS,
	hostOf,
	lastOf,
	maskOf,
	nextPrefix,
	offsetAddress,
	parseAddress,
	parseInterface,
	printAddress,
	printInterface,
	printPrefix,
	sizeOf,
	subnetOf,
	wildcardOf,
	type InterfaceAddress
} from '../../address';
import { evaluate } from '../../profile';

/** A value of each unit; null where a unit has none. */
export type Column = readonly (string | null)[];

/** A formula, and the same as a function: what does not fit is found by it, and what fits is proved by the language itself. */
interface Candidate {
	readonly formula: string;
	readonly gives: (from: string) => string | null;
}

/** Fewer different values than these prove no formula with numbers or words of its own. */
const FEWEST_PAIRS = 3;
/** A formula longer than this says less than the values. */
const LONGEST_FORMULA = 120;
const MOST_NUMBERS = 4;

/** So many pairs are computed by the profile language itself; all are, where there are no more. */
const MOST_EVALUATED = 12;

/**
 * The shortest formula found that gives `target` from `source` for every unit that has a target: address arithmetic, a text
 * before and behind it, a number in it, or a piece of it. Null when there is none, or too few values to prove one. `name`: what
 * the source is called in formulas. Law: what is returned gives every target of the columns, and twelve of them at least by the
 * profile language's own evaluation (the proof of each unit evaluates the rest).
 */
export function formulaFrom(name: string, source: Column, target: Column): string | null {
	const least = twoLeast(source, target);
	// One value that is everywhere follows from nothing
	if (least === null) return null;
	const { first, second, isEnough } = least;
	const found: Candidate[] = [];
	for (const candidate of candidates(name, ...first, isEnough))
		if (candidate.gives(first[0]) === first[1] && candidate.gives(second[0]) === second[1])
			found.push(candidate);
	if (found.length === 0) return null;
	const pairs = pairsOf(source, target);
	if (pairs === null) return null;
	const fits = found
		.filter(({ formula }) => formula.length <= LONGEST_FORMULA)
		.sort((a, b) => a.formula.length - b.formula.length || (a.formula < b.formula ? -1 : 1))
		.find(({ gives }) => pairs.every(([from, to]) => gives(from) === to));
	const step = Math.max(1, Math.floor(pairs.length / MOST_EVALUATED));
	return fits && pairs.every(([from, to], at) => at % step > 0 || evaluated(fits.formula, name, from) === to)
		? fits.formula
		: null;
}

type Pair = readonly [from: string, to: string];

/** Which target belongs to which source, in their order; null when one source has two. */
function pairsOf(source: Column, target: Column): readonly Pair[] | null {
	const pairs = new Map<string, string>();
	for (const [at, to] of target.entries()) {
		if (to === null) continue;
		const from = source[at]!;
		const known = pairs.get(from);
		if (known === undefined) pairs.set(from, to);
		else if (known !== to) return null;
	}
	return [...pairs].sort(([a], [b]) => (a < b ? -1 : 1));
}

/**
 * The pairs with the two least sources, the same in whichever order the units come, and whether there are enough to prove words
 * and numbers. Null when a target has no source, or all have the same. It is asked for every two fields, so it builds nothing.
 */
function twoLeast(
	source: Column,
	target: Column
): { readonly first: Pair; readonly second: Pair; readonly isEnough: boolean } | null {
	let least: number | null = null;
	let next: number | null = null;
	let third: number | null = null;
	for (let at = 0; at < target.length; at++) {
		if (target[at] === null) continue;
		const from = source[at];
		if (from == null) return null;
		if (least === null || from < source[least]!) [least, next, third] = [at, least, next ?? third];
		else if (from === source[least]) continue;
		else if (next === null || from < source[next]!) [next, third] = [at, next ?? third];
		else if (from !== source[next]) third = at;
	}
	if (least === null || next === null) return null;
	const pairAt = (at: number): Pair => [source[at]!, target[at]!];
	const isEnough = FEWEST_PAIRS <= (third === null ? 2 : 3);
	return { first: pairAt(least), second: pairAt(next), isEnough };
}

function evaluated(formula: string, name: string, from: string): string | null {
	const [group, inner] = name.split('.') as [string, string | undefined];
	const scope = inner === undefined ? { [group]: from } : { [group]: { [inner]: from } };
	const found = evaluate(formula, scope);
	return found.ok ? String(found.value) : null;
}

function* candidates(name: string, from: string, to: string, isEnough: boolean): Generator<Candidate> {
	const forms = textForms(name, from);
	yield* forms.map(({ formula, gives }) => ({ formula, gives }));
	if (MACHINE_NAME.test(to) && /[^a-z0-9-]/.test(from))
		yield { formula: `${name} | machine_name`, gives: (text) => evaluated('x | machine_name', 'x', text) };
	const block = blockIn(from);
	if (block) yield* ofBlock(name, to);
	if (!isEnough) return;
	for (const form of forms) {
		const value = form.gives(from)!;
		const at = value === '' ? -1 : to.indexOf(value);
		if (at >= 0) yield around(form, to.slice(0, at), to.slice(at + value.length));
	}
	if (/^\d{1,9}$/.test(from)) yield* numbers(name, from, to);
	if (block && ADDRESSES.test(to)) yield* addresses(name, block, to);
}
const MACHINE_NAME = /^[a-z0-9-]+$/;
const ADDRESSES = /^[0-9a-fA-F.:]+(?:\/\d{1,3})?$/;
const SIGNS = ['-', '.', '/', '_', ' ', ':'];

/** The source, in small or capital letters, or its first or last piece. */
const textForms = (name: string, from: string): readonly Candidate[] => [
	{ formula: name, gives: (text) => text },
	{ formula: `${name} | downcase`, gives: (text) => text.toLowerCase() },
	{ formula: `${name} | upcase`, gives: (text) => text.toUpperCase() },
	...SIGNS.filter((sign) => from.includes(sign)).flatMap((sign): Candidate[] => [
		{ formula: `${name} | split: "${sign}" | first`, gives: (text) => text.split(sign)[0]! },
		{ formula: `${name} | split: "${sign}" | last`, gives: (text) => text.split(sign).at(-1)! }
	])
];

const quoted = (text: string) => (text.includes('"') ? `'${text}'` : `"${text}"`);
const around = ({ formula, gives }: Candidate, before: string, after: string): Candidate => ({
	formula: `${formula}${before === '' ? '' : ` | prepend: ${quoted(before)}`}${after === '' ? '' : ` | append: ${quoted(after)}`}`,
	gives: (from) => {
		const inner = gives(from);
		return inner === null ? null : `${before}${inner}${after}`;
	}
});

/** A number in the target that is the source's, moved by as much everywhere. */
function* numbers(name: string, from: string, to: string): Generator<Candidate> {
	for (const { 0: digits, index } of [...to.matchAll(/\d{1,9}/g)].slice(0, MOST_NUMBERS)) {
		const by = Number(digits) - Number(from);
		const moved = by === 0 ? name : by > 0 ? `${name} | plus: ${by}` : `${name} | minus: ${-by}`;
		const width = digits.startsWith('0') && digits.length > 1 ? digits.length : 0;
		yield around(
			{
				formula: width > 0 ? `${moved} | pad: ${width}` : moved,
				gives: (text) => (/^\d{1,9}$/.test(text) ? String(Number(text) + by).padStart(width, '0') : null)
			},
			to.slice(0, index),
			to.slice(index + digits.length)
		);
	}
}

/** As the filters take it: an address is a block of its own. */
function blockIn(text: string): InterfaceAddress | null {
	if (!ADDRESSES.test(text)) return null;
	const address = parseAddress(text);
	return address ? { ...blockOf(address, BITS[address.version]), address } : parseInterface(text);
}
const filter = (
	formula: string,
	work: (block: InterfaceAddress, text: string) => string | null
): Candidate => ({
	formula,
	gives: (text) => {
		const block = blockIn(text);
		return block && work(block, text);
	}
});

/** What follows from a block alone. */
function* ofBlock(name: string, to: string): Generator<Candidate> {
	if (/^\d+$/.test(to)) yield filter(`${name} | prefix_length`, ({ length }) => String(length));
	if (!ADDRESSES.test(to)) return;
	yield filter(`${name} | network`, ({ version, base }) => printAddress({ version, value: base }));
	yield filter(`${name} | prefix`, printPrefix);
	yield filter(`${name} | address`, ({ address }) => printAddress(address));
	yield filter(`${name} | mask`, (block) => printAddress(maskOf(block)));
	yield filter(`${name} | wildcard`, (block) => printAddress(wildcardOf(block)));
	yield filter(`${name} | broadcast`, (block) =>
		block.version === 6 ? null : printAddress({ version: 4, value: lastOf(block) })
	);
}

/** Hosts, blocks inside and beside, and addresses so far away. */
function* addresses(name: string, block: InterfaceAddress, to: string): Generator<Candidate> {
	const wanted = blockIn(to);
	if (!wanted || wanted.version !== block.version) return;
	const isAddress = !to.includes('/');
	const host = isAddress ? 'host' : 'host_interface';
	const hostAt = (at: bigint) =>
		filter(`${name} | ${host}: ${at}`, (own) => {
			const address = hostOf(own, at);
			return address && (isAddress ? printAddress(address) : printInterface({ ...own, address }));
		});
	const at = wanted.address.value - block.base;
	if (at >= 0n && at < sizeOf(block)) {
		yield hostAt(at);
		for (let back = -1n; back >= -MOST_BACK; back--)
			if (hostOf(block, back)?.value === wanted.address.value) yield hostAt(back);
	}
	if (!isAddress && wanted.address.value === wanted.base) {
		const length = BigInt(wanted.length);
		if (wanted.length >= block.length && wanted.base >= block.base && wanted.base <= lastOf(block)) {
			const number = (wanted.base - block.base) / sizeOf(wanted);
			yield filter(`${name} | subnet: ${length}, ${number}`, (own) => {
				const subnet = subnetOf(own, Number(length), number);
				return subnet && printPrefix(subnet);
			});
		}
		const steps = (wanted.base - block.base) / sizeOf(block);
		if (wanted.length === block.length && steps !== 0n)
			yield filter(`${name} | next: ${steps}`, (own) => {
				const next = nextPrefix(own, steps);
				return next && printPrefix(next);
			});
	}
	const by = wanted.address.value - block.address.value;
	if (by !== 0n)
		yield filter(`${name} | offset: ${by}`, (own, text) => {
			const moved = offsetAddress(own.address, by);
			if (!moved) return null;
			return text.includes('/')
				? printInterface({ ...blockOf(moved, own.length), address: moved })
				: printAddress(moved);
		});
}
const MOST_BACK = 16n;
