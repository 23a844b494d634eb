/**
 * IPv4 and IPv6 addresses as exact numbers. Text forms: RFC 4632 and RFC 4291; IPv6 is written as
 * RFC 5952 wants it.
 */
export type Version = 4 | 6;
export interface Address {
	readonly version: Version;
	readonly value: bigint;
}

export const BITS: Readonly<Record<Version, number>> = { 4: 32, 6: 128 };

/** The number above the largest address of a version. */
export const endOf = (version: Version): bigint => 1n << BigInt(BITS[version]);

const OCTET = /^(0|[1-9]\d{0,2})$/;
const GROUP = /^[0-9a-f]{1,4}$/i;

/**
 * Reads an address; null when it is none. Rejects leading zeros in IPv4 (read as octal by some), zones
 * (`%eth0`), and spaces.
 */
export function parseAddress(text: string): Address | null {
	const value = text.includes(':') ? parseVersion6(text) : parseVersion4(text);
	return value === null ? null : { version: text.includes(':') ? 6 : 4, value };
}

function parseVersion4(text: string): bigint | null {
	const octets = text.split('.');
	if (octets.length !== 4 || !octets.every((octet) => OCTET.test(octet) && Number(octet) < 256)) return null;
	// 32 bits are exact in a double
	return BigInt(octets.reduce((value, octet) => value * 256 + Number(octet), 0));
}

function parseVersion6(text: string): bigint | null {
	// The last 32 bits may be written as IPv4 (RFC 4291, 2.2)
	const tail = /^(.*:)([\d.]+\.[\d.]+)$/.exec(text);
	if (tail) {
		const low = parseVersion4(tail[2]!);
		if (low === null) return null;
		return parseVersion6(`${tail[1]}${(low >> 16n).toString(16)}:${(low & 0xffffn).toString(16)}`);
	}
	const halves = text.split('::');
	if (halves.length > 2) return null;
	const groups = halves.map((half) => (half === '' ? [] : half.split(':')));
	if (!groups.flat().every((group) => GROUP.test(group))) return null;
	const given = groups.flat().length;
	// “::” stands for at least one group
	if (halves.length === 1 ? given !== 8 : given > 7) return null;
	const [left = [], right = []] = groups;
	const all = [...left, ...Array<string>(8 - given).fill('0'), ...right];
	return all.reduce((value, group) => value * 65536n + BigInt(`0x${group}`), 0n);
}

/** The canonical text. Law: reading it gives the same address. */
export const printAddress = ({ version, value }: Address): string =>
	version === 4 ? printVersion4(value) : printVersion6(value);

const printVersion4 = (value: bigint): string =>
	[24, 16, 8, 0].map((shift) => (Number(value) >>> shift) & 255).join('.');

function printVersion6(value: bigint): string {
	const groups = Array.from({ length: 8 }, (_, index) =>
		((value >> BigInt(112 - index * 16)) & 0xffffn).toString(16)
	);
	const zeros = longestZeros(groups);
	if (zeros.length < 2) return groups.join(':');
	return `${groups.slice(0, zeros.start).join(':')}::${groups.slice(zeros.start + zeros.length).join(':')}`;
}

/** The first longest run of zero groups (RFC 5952, 4.2.3). */
function longestZeros(groups: readonly string[]): { start: number; length: number } {
	let best = { start: 0, length: 0 };
	for (let start = 0; start < groups.length; start++) {
		let length = 0;
		while (groups[start + length] === '0') length++;
		if (length > best.length) best = { start, length };
	}
	return best;
}

/** The address so many further on; null past either end. */
export function offsetAddress({ version, value }: Address, by: bigint): Address | null {
	const moved = value + by;
	return moved < 0n || moved >= endOf(version) ? null : { version, value: moved };
}
