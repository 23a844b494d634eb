import type { Liquid } from 'liquidjs';
import {
	blockOf,
	BITS,
	contains,
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
	reverseName,
	subnetOf,
	wildcardOf,
	type Address,
	type InterfaceAddress
} from '../../address';
import { durationSeconds } from '../values/duration';
import { Unfit } from './problems';

/** Stands for a missing value while the remaining ones are looked for; never part of a result. */
export const PLACEHOLDER = 'missing';

const unfit = (words: string): never => {
	throw new Unfit(words);
};

/** A prefix, an interface address, or a bare address, which is a block of its own. */
function blockIn(value: unknown): InterfaceAddress {
	const text = String(value);
	const address = parseAddress(text);
	if (address) return { ...blockOf(address, BITS[address.version]), address };
	return parseInterface(text) ?? unfit(`“${text}” is no address or prefix.`);
}

function wholeNumber(value: unknown): bigint {
	const text = String(value);
	return /^-?\d{1,40}$/.test(text) ? BigInt(text) : unfit(`“${text}” is no whole number.`);
}

const found = <Thing>(thing: Thing | null, words: string): Thing => thing ?? unfit(words);

/**
 * Filters for configuration texts. Address arithmetic is exact for IPv4 and IPv6; numbers too long for
 * a number literal are given as text. What a filter cannot work on is a problem at its place in the text.
 */
const FILTERS: Record<string, (value: unknown, ...given: unknown[]) => unknown> = {
	/** `10.0.0.0/24 | host: 1` is `10.0.0.1`; -1 the last. */
	host: (value, n) =>
		printAddress(found(hostOf(blockIn(value), wholeNumber(n)), `${String(value)} has no host ${String(n)}.`)),
	/** The same with the length of the block: `10.0.0.1/24`. */
	host_interface: (value, n) => {
		const block = blockIn(value);
		const address = found(hostOf(block, wholeNumber(n)), `${String(value)} has no host ${String(n)}.`);
		return printInterface({ ...block, address });
	},
	/** `10.0.0.0/16 | subnet: 24, 3` is `10.0.3.0/24`. */
	subnet: (value, length, n = 0) =>
		printPrefix(
			found(
				subnetOf(blockIn(value), Number(wholeNumber(length)), wholeNumber(n)),
				`${String(value)} has no /${String(length)} with the number ${String(n)}.`
			)
		),
	/** The block's first address, without the length. */
	network: (value) => {
		const { version, base } = blockIn(value);
		return printAddress({ version, value: base });
	},
	/** The block in which an interface address lies: `10.0.0.1/24` gives `10.0.0.0/24`. */
	prefix: (value) => printPrefix(blockIn(value)),
	/** The address of an interface, without the length. */
	address: (value) => printAddress(blockIn(value).address),
	prefix_length: (value) => blockIn(value).length,
	mask: (value) => printAddress(maskOf(blockIn(value))),
	wildcard: (value) => printAddress(wildcardOf(blockIn(value))),
	broadcast: (value) => {
		const block = blockIn(value);
		if (block.version === 6) unfit('IPv6 has no broadcast address.');
		return printAddress({ version: 4, value: lastOf(block) });
	},
	reverse_name: (value) => reverseName(blockIn(value).address),
	contains: (value, other) => contains(blockIn(value), blockIn(other)),
	next: (value, by = 1) =>
		printPrefix(
			found(
				nextPrefix(blockIn(value), wholeNumber(by)),
				`There is no block ${String(by)} after ${String(value)}.`
			)
		),
	offset: (value, by) => {
		const block = blockIn(value);
		const moved: Address = found(
			offsetAddress(block.address, wholeNumber(by)),
			`There is no address ${String(by)} after ${String(value)}.`
		);
		return String(value).includes('/')
			? printInterface({ ...blockOf(moved, block.length), address: moved })
			: printAddress(moved);
	},
	/** A duration such as `1h30m`, in seconds. */
	seconds: (value) => found(durationSeconds(String(value)), `“${String(value)}” is no duration.`),
	/** A text between quotation marks, with those inside it and line breaks made harmless: for every dialect. */
	quoted: (value) => JSON.stringify(String(value)),
	/** As the text of an element or attribute of XML. */
	xml: (value) => String(value).replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`),
	/** A number with leading zeros to a width. */
	pad: (value, width) => {
		const length = Number(wholeNumber(width));
		if (length > WIDEST) unfit(`A number is padded to ${WIDEST} digits at most.`);
		return wholeNumber(value).toString().padStart(length, '0');
	},
	/** A text as a name for machines: `Tākaka clinic` gives `takaka-clinic`. */
	machine_name: (value) =>
		String(value)
			.normalize('NFKD')
			.replace(/\p{M}/gu, '')
			.toLowerCase()
			.replace(/[^a-z0-9]+/g, '-')
			.replace(/^-|-$/g, '')
};

const WIDEST = 100;

/** The names of the filters for addresses and values, for the help beside an editor. */
export const OWN_FILTERS = Object.keys(FILTERS);

/**
 * Filters of Liquid's own that are not had here: what they give depends on the clock or on chance, or they
 * are for web pages and take time out of proportion to their text.
 */
const TAKEN_OUT = [
	'date',
	'date_to_long_string',
	'date_to_rfc822',
	'date_to_string',
	'date_to_xmlschema',
	'sample',
	'strip_html',
	'where_exp',
	'reject_exp',
	'group_by_exp',
	'has_exp',
	'find_exp',
	'find_index_exp'
];

export function registerFilters(liquid: Liquid): void {
	for (const name of TAKEN_OUT) delete liquid.filters[name];
	for (const [name, filter] of Object.entries(FILTERS))
		liquid.registerFilter(name, (value: unknown, ...given: unknown[]) =>
			value === PLACEHOLDER || given.includes(PLACEHOLDER) ? PLACEHOLDER : filter(value, ...given)
		);
}
