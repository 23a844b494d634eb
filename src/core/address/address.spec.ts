import { expect } from 'chai';
import fc from 'fast-check';
import { Address4, Address6 } from 'ip-address';
import {
	allot,
	blockOf,
	blocksBetween,
	contains,
	emptySpace,
	endOf,
	findFree,
	hostOf,
	isFree,
	lastOf,
	maskOf,
	nextPrefix,
	numberSpace,
	offsetAddress,
	overlap,
	overlaps,
	parseAddress,
	parseInterface,
	parsePrefix,
	printAddress,
	printInterface,
	printPrefix,
	release,
	reverseName,
	roomFor,
	sizeOf,
	stretches,
	subnetOf,
	take,
	wildcardOf,
	type Address,
	type Prefix,
	type Version
} from '.';

const version = fc.constantFrom<Version>(4, 6);
const address: fc.Arbitrary<Address> = version.chain((version) =>
	fc.bigInt({ min: 0n, max: endOf(version) - 1n }).map((value) => ({ version, value }))
);
/** Addresses with long runs of zeros, which the short text of IPv6 leaves out. */
const sparse: fc.Arbitrary<Address> = fc
	.array(fc.constantFrom<bigint>(0n, 0n, 1n, 0xabcdn), { minLength: 8, maxLength: 8 })
	.map((groups) => ({ version: 6, value: groups.reduce((value, group) => value * 65536n + group, 0n) }));
const prefix: fc.Arbitrary<Prefix> = address.chain((one) =>
	fc.nat(one.version === 4 ? 32 : 128).map((length) => blockOf(one, length))
);
/** The independent implementation that ours is held against. */
const theirs = (text: string) => (text.includes(':') ? new Address6(text) : new Address4(text));
const short = (one: Address4 | Address6) => (one instanceof Address6 ? one.correctForm() : one.correctForm());

describe('addresses', () => {
	it('read and print as the independent implementation does', () => {
		fc.assert(
			fc.property(fc.oneof(address, sparse), (one) => {
				const text = printAddress(one);
				expect(text).to.equal(short(theirs(text)));
				expect(theirs(text).bigInt()).to.equal(one.value);
				expect(parseAddress(text)).to.deep.equal(one);
				const full = theirs(text);
				if (full instanceof Address6) expect(parseAddress(full.canonicalForm())).to.deep.equal(one);
			})
		);
	});

	it('are refused when they are none', () => {
		for (const text of [
			'',
			'1.2.3',
			'1.2.3.256',
			'01.2.3.4',
			'1.2.3.4 ',
			'1::2::3',
			':::',
			'1:2:3:4:5:6:7',
			'1:2:3:4:5:6:7:8:9',
			'12345::',
			'fe80::1%eth0',
			'1:2:3:4:5:6:7::8',
			'::1.2.3',
			'１.2.3.4',
			'1.2.3.4/24'
		])
			expect(parseAddress(text), text).to.equal(null);
		expect(parseAddress('::ffff:192.0.2.1')).to.deep.equal({ version: 6, value: 0xffffc0000201n });
		for (const text of [
			'10.0.0.0',
			'10.0.0.0/33',
			'10.0.0.0/024',
			'10.0.0.0/',
			'10.0.0.1/24',
			'2001:db8::/129',
			'10.0.0.0/8/8'
		])
			expect(parsePrefix(text), text).to.equal(null);
		expect(parseInterface('10.0.0.1/24')!.base).to.equal(0x0a000000n);
	});

	it('compute blocks as the independent implementation does', () => {
		fc.assert(
			fc.property(address, fc.nat(128), (one, bits) => {
				const length = Math.min(bits, one.version === 4 ? 32 : 128);
				const other = theirs(`${printAddress(one)}/${length}`);
				const block = blockOf(one, length);
				expect(printAddress({ version: one.version, value: block.base })).to.equal(
					short(other.startAddress() as Address4)
				);
				expect(printAddress({ version: one.version, value: lastOf(block) })).to.equal(
					short(other.endAddress() as Address4)
				);
				expect(parsePrefix(printPrefix(block))).to.deep.equal(block);
				const read = parseInterface(`${printAddress(one)}/${length}`)!;
				expect(printInterface(read)).to.equal(`${printAddress(one)}/${length}`);
				expect(maskOf(block).value + wildcardOf(block).value).to.equal(endOf(one.version) - 1n);
				expect(sizeOf(block)).to.equal(wildcardOf(block).value + 1n);
				expect(printAddress(maskOf(block))).to.equal(short(other.subnetMaskAddress() as Address4));
			})
		);
	});

	it('contain and overlap as the independent implementation says', () => {
		fc.assert(
			fc.property(prefix, fc.nat(6), fc.bigInt({ min: -3n, max: 3n }), (one, less, by) => {
				const near = nextPrefix(one, by) ?? one;
				const wider = blockOf({ version: near.version, value: near.base }, Math.max(0, near.length - less));
				expect(contains(wider, one)).to.equal(
					theirs(printPrefix(one)).isInSubnet(theirs(printPrefix(wider)) as never)
				);
				expect(overlap(one, wider)).to.equal(contains(wider, one));
				expect(contains(one, one)).to.equal(true);
			})
		);
	});

	it('number hosts, sub-blocks and neighbours without leaving the block', () => {
		const home = parsePrefix('192.0.2.0/29')!;
		const host = (n: bigint, block = home) => {
			const found = hostOf(block, n);
			return found && printAddress(found);
		};
		expect([0n, 1n, 6n, 7n, -1n, -7n, -8n].map((n) => host(n))).to.deep.equal([
			'192.0.2.0',
			'192.0.2.1',
			'192.0.2.6',
			null,
			'192.0.2.6',
			'192.0.2.0',
			null
		]);
		expect([0n, 1n, 2n, -1n].map((n) => host(n, parsePrefix('192.0.2.2/31')!))).to.deep.equal([
			'192.0.2.2',
			'192.0.2.3',
			null,
			'192.0.2.3'
		]);
		expect(host(-1n, parsePrefix('2001:db8::/64')!)).to.equal('2001:db8::ffff:ffff:ffff:ffff');
		fc.assert(
			fc.property(prefix, fc.nat(20), fc.bigInt({ min: 0n, max: 1n << 20n }), (one, more, n) => {
				const length = Math.min(one.length + more, one.version === 4 ? 32 : 128);
				const found = subnetOf(one, length, n);
				expect(found === null).to.equal(n >= 1n << BigInt(length - one.length));
				if (found) expect(contains(one, found)).to.equal(true);
				const following = nextPrefix(one);
				if (following) expect(following.base).to.equal(lastOf(one) + 1n);
				else expect(lastOf(one)).to.equal(endOf(one.version) - 1n);
			})
		);
		expect(offsetAddress(parseAddress('255.255.255.255')!, 1n)).to.equal(null);
		expect(offsetAddress(parseAddress('::')!, -1n)).to.equal(null);
	});

	it('have the reverse names that the independent implementation gives', () => {
		fc.assert(
			fc.property(address, (one) => {
				const text = printAddress(one);
				expect(`${reverseName(one)}.`).to.equal(
					one.version === 4 ? new Address4(text).reverseForm() : new Address6(text).reverseForm()
				);
			})
		);
	});
});

describe('space', () => {
	const home = parsePrefix('10.0.0.0/24')!;
	const act = fc.record({
		kind: fc.constantFrom('allot', 'release', 'take'),
		length: fc.integer({ min: 24, max: 32 }),
		pick: fc.nat(255),
		policy: fc.constantFrom('next-free' as const, 'reserve-for-growth' as const)
	});

	it('gives no address twice, gives back what it took, and refuses only what does not fit', () => {
		fc.assert(
			fc.property(fc.array(act, { maxLength: 60 }), (acts) => {
				let space = emptySpace(home);
				let held: Prefix[] = [];
				for (const { kind, length, pick, policy } of acts) {
					if (kind === 'allot') {
						const found = findFree(space, length, policy);
						// Looked for the slow way: any aligned place of that length which nothing held overlaps
						const fits = Array.from({ length: 1 << (length - 24) }, (_, n) =>
							subnetOf(home, length, BigInt(n))!
						).filter((place) => held.every((one) => !overlap(one, place)));
						expect(found === null).to.equal(fits.length === 0);
						expect(roomFor(space, length)).to.equal(fits.length);
						if (!found) continue;
						expect(fits).to.deep.include(found);
						if (policy === 'next-free') expect(found).to.deep.equal(fits[0]);
						held.push(found);
						space = take(space, found);
					} else if (kind === 'take') {
						const block = blockOf({ version: 4, value: home.base + BigInt(pick) }, length);
						const free = held.every((one) => !overlap(one, block));
						expect(isFree(space, block)).to.equal(free);
						if (!free) continue;
						expect(release(take(space, block), block)).to.deep.equal(space);
						held.push(block);
						space = take(space, block);
					} else if (held.length > 0) {
						const block = held[pick % held.length]!;
						held = held.filter((one) => one !== block);
						space = release(space, block);
					}
					const parts = stretches(space);
					expect(parts.reduce((sum, { block }) => sum + sizeOf(block), 0n)).to.equal(256n);
					for (const { block, state } of parts)
						expect(held.some((one) => contains(one, block) || contains(block, one))).to.equal(
							state === 'used'
						);
				}
				expect(overlaps(held)).to.deep.equal([]);
			}),
			{ numRuns: 60 }
		);
	});

	it('leaves room beside a block where that is wanted', () => {
		const { blocks, missing } = allot(emptySpace(home), 26, 4, 'reserve-for-growth');
		// Two with a free neighbour, then the neighbours themselves, the lowest first
		expect(blocks.map(printPrefix)).to.deep.equal([
			'10.0.0.0/26',
			'10.0.0.128/26',
			'10.0.0.64/26',
			'10.0.0.192/26'
		]);
		expect(missing).to.equal(0);
		expect(allot(emptySpace(home), 26, 5).missing).to.equal(1);
	});

	it('holds numbers as well', () => {
		const space = numberSpace(100, 103);
		expect(allot(space, 32, 9).blocks.map(({ base }) => Number(base))).to.deep.equal([100, 101, 102, 103]);
		expect(blocksBetween(4, 1n, 8n).map(printPrefix)).to.deep.equal([
			'0.0.0.1/32',
			'0.0.0.2/31',
			'0.0.0.4/30'
		]);
	});

	it('names blocks that overlap', () => {
		const blocks = ['10.0.0.0/24', '10.0.1.0/24', '10.0.0.128/25', '2001:db8::/32'].map((text) =>
			parsePrefix(text)!
		);
		expect(overlaps(blocks).map((pair) => pair.map(printPrefix))).to.deep.equal([
			['10.0.0.0/24', '10.0.0.128/25']
		]);
	});
});
