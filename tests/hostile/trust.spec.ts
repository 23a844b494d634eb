import { expect } from 'chai';
import fc from 'fast-check';
import {
	certificatesIn,
	certificatesOnly,
	DATA,
	fromPem,
	issue,
	openSigned,
	readVoucher,
	signData,
	VOUCHER_JSON,
	writeVoucher,
	type Signer
} from '../../src/core/trust';

const MESSAGES = 10_000;
const DAY_MS = 86_400_000;
const NOW = new Date();

/** What stands at an octet is changed, taken out, put in, repeated, or made to claim another length. */
const hostile = (good: Uint8Array): fc.Arbitrary<Uint8Array> =>
	fc
		.array(
			fc.record({
				at: fc.nat(good.length - 1),
				by: fc.integer({ min: 1, max: 255 }),
				how: fc.constantFrom('change', 'cut', 'add', 'repeat', 'length', 'nest')
			}),
			{ minLength: 1, maxLength: 4 }
		)
		.map((changes) =>
			changes.reduce((octets, { at, by, how }) => {
				const [before, after] = [octets.slice(0, at), octets.slice(at)];
				switch (how) {
					case 'change':
						return at < octets.length ? octets.with(at, octets[at]! ^ by) : octets;
					case 'cut':
						return Uint8Array.from([...before, ...after.slice(by)]);
					case 'add':
						return Uint8Array.from([...before, by, ...after]);
					case 'repeat':
						return Uint8Array.from([...octets.slice(0, at + by), ...after]);
					case 'length':
						return Uint8Array.from([...before, 0x84, 0x7f, 0xff, 0xff, by, ...after.slice(1)]);
					case 'nest':
						return Uint8Array.from([...before, ...Array.from({ length: by }, () => 0x30), ...after]);
				}
			}, good)
		);

describe('CMS, certificates and vouchers from outside', function () {
	this.timeout(300_000);
	let root: Signer;
	let own: Signer;
	const content = writeVoucher({
		serial: 'OG2K00000001',
		createdOn: NOW,
		expiresOn: new Date(NOW.getTime() + DAY_MS),
		nonce: null,
		pinned: new Uint8Array(300)
	});
	before(async () => {
		const when = { from: new Date(NOW.getTime() - DAY_MS), until: new Date(NOW.getTime() + DAY_MS) };
		root = await issue({ subject: 'CN=Root', isAuthority: true, ...when });
		own = await issue({ subject: 'CN=Own', isAuthority: false, ...when }, root);
	});

	it(`are refused in words, ${MESSAGES} times, and never believed when they say something else @long`, async () => {
		const signed = await signData(content, VOUCHER_JSON, own, NOW);
		const trusted = [fromPem(root.chain[0]!)];
		let believed = 0;
		await fc.assert(
			fc.asyncProperty(hostile(signed), async (octets) => {
				const opened = await openSigned(octets, VOUCHER_JSON, trusted, NOW);
				if (opened.ok) {
					believed++;
					expect(opened.content).to.deep.equal(content);
				} else
					expect(opened.problem)
						.to.match(/\S/)
						.and.not.match(/\bat \S+:\d+/);
			}),
			{ numRuns: MESSAGES }
		);
		expect(believed, 'most say something else').to.be.below(MESSAGES / 10);
	});

	it('are read or refused whatever they are', async () => {
		const chain = certificatesOnly(own.chain);
		await fc.assert(
			fc.asyncProperty(fc.oneof(hostile(chain), fc.uint8Array({ maxLength: 500 })), async (octets) => {
				certificatesIn(octets);
				readVoucher(octets);
				await openSigned(octets, DATA, null, null);
			}),
			{ numRuns: 2_000 }
		);
	});

	it('are refused however deep or long they say that they are', async () => {
		const deep = (tag: number) =>
			Uint8Array.from({ length: 200_000 }, (_, at) => (at % 2 === 0 ? tag : 0x80));
		for (const octets of [deep(0x30), deep(0xa0), new Uint8Array(2_000_000), deep(0x24)]) {
			expect(certificatesIn(octets)).to.equal(null);
			expect(await openSigned(octets, DATA, null, null)).to.include({ ok: false });
		}
	});
});
