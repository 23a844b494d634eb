import { BITS, endOf, parseAddress, printAddress, type Address, type Version } from './address';

/** A block of addresses: the first one and how many leading bits all share. The remaining bits of `base` are zero. */
export interface Prefix {
	readonly version: Version;
	readonly base: bigint;
	readonly length: number;
}
/** An address with the block it lies in, as an interface has it: `10.0.0.1/24`. */
export interface InterfaceAddress extends Prefix {
	readonly address: Address;
}

/** How many addresses a block holds. */
export const sizeOf = ({ version, length }: Pick<Prefix, 'version' | 'length'>): bigint =>
	1n << BigInt(BITS[version] - length);

const LENGTH = /^(0|[1-9]\d{0,2})$/;

/** Reads an address with a length; null when it is none. */
export function parseInterface(text: string): InterfaceAddress | null {
	const [front, back, more] = text.split('/');
	const address = parseAddress(front!);
	if (!address || back === undefined || more !== undefined || !LENGTH.test(back)) return null;
	const length = Number(back);
	if (length > BITS[address.version]) return null;
	return { ...blockOf(address, length), address };
}

/** Reads a block. Rejects an address inside it (`10.0.0.1/24`): which was meant cannot be told. */
export function parsePrefix(text: string): Prefix | null {
	const read = parseInterface(text);
	return read && read.address.value === read.base ? prefixOf(read) : null;
}

/** The block of a length in which an address lies. */
export function blockOf({ version, value }: Address, length: number): Prefix {
	const size = sizeOf({ version, length });
	return { version, base: (value / size) * size, length };
}

const prefixOf = ({ version, base, length }: Prefix): Prefix => ({ version, base, length });

export const printPrefix = ({ version, base, length }: Prefix): string =>
	`${printAddress({ version, value: base })}/${length}`;
export const printInterface = ({ address, length }: InterfaceAddress): string =>
	`${printAddress(address)}/${length}`;

export const lastOf = (prefix: Prefix): bigint => prefix.base + sizeOf(prefix) - 1n;

/** Whether the whole of `inner` lies in `outer`. Law: every block contains itself. */
export const contains = (outer: Prefix, inner: Prefix): boolean =>
	outer.version === inner.version && outer.base <= inner.base && lastOf(inner) <= lastOf(outer);

/** Whether an address lies in a block. */
export const holdsAddress = ({ version, base, length }: Prefix, address: Address): boolean =>
	version === address.version && base === blockOf(address, length).base;

export const overlap = (a: Prefix, b: Prefix): boolean => contains(a, b) || contains(b, a);

/**
 * Host number `n` of a block: 1 is the first address after the network's, -1 the last usable one (before
 * the broadcast address in IPv4), 0 the network itself. In a /31 and /127 (RFC 3021, RFC 6164) and a /32
 * and /128 every address is a host, and 0 the first. Null outside the block.
 */
export function hostOf(prefix: Prefix, n: bigint): Address | null {
	const { version, base } = prefix;
	const pointToPoint = prefix.length >= BITS[version] - 1;
	const afterLast = base + sizeOf(prefix) - (version === 4 && !pointToPoint ? 1n : 0n);
	const value = n < 0n ? afterLast + n : base + n;
	return value >= base && value < afterLast ? { version, value } : null;
}

/** Sub-block number `n` (0 the first) of a given length; null when there is none. */
export function subnetOf(prefix: Prefix, length: number, n: bigint): Prefix | null {
	if (length < prefix.length || length > BITS[prefix.version] || n < 0n) return null;
	const base = prefix.base + n * sizeOf({ version: prefix.version, length });
	return base > lastOf(prefix) ? null : { version: prefix.version, base, length };
}

/** The block of the same length so many further on; null past either end. */
export function nextPrefix(prefix: Prefix, by = 1n): Prefix | null {
	const base = prefix.base + by * sizeOf(prefix);
	return base < 0n || base >= endOf(prefix.version) ? null : { ...prefixOf(prefix), base };
}

export const maskOf = ({ version, length }: Prefix): Address => ({
	version,
	value: endOf(version) - sizeOf({ version, length })
});
/** The mask's inverse, as access rules of some dialects want it. */
export const wildcardOf = ({ version, length }: Prefix): Address => ({
	version,
	value: sizeOf({ version, length }) - 1n
});

/** The name under which an address is looked up in reverse (RFC 1035, 3.5; RFC 3596, 2.5). */
export function reverseName({ version, value }: Address): string {
	const [digits, width, zone] = version === 4 ? [4, 8n, 'in-addr.arpa'] : [32, 4n, 'ip6.arpa'];
	const parts = Array.from({ length: digits as number }, (_, index) =>
		((value >> (BigInt(index) * (width as bigint))) & ((1n << (width as bigint)) - 1n)).toString(
			version === 4 ? 10 : 16
		)
	);
	return `${parts.join('.')}.${zone}`;
}
