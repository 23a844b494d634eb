import { expect } from 'chai';
import fc from 'fast-check';
import { DATA, openSigned, signData, certificatesIn, certificatesOnly, type Signer } from './cms';
import { fromPem } from './octets';
import { readVoucher, VOUCHER_JSON, voucherProblem, writeVoucher, type Voucher } from './voucher';
import { issue } from './certificate';

const AT = new Date('2027-03-01T12:00:00Z');
const later = (days: number) => new Date(AT.getTime() + days * 86_400_000);
const makeAuthority = (name: string, from: Date, until: Date) =>
	issue({ subject: `CN=${name}`, from, until, isAuthority: true });
const makeSigner = (name: string, above: Signer, from: Date, until: Date, isAuthority = false) =>
	issue({ subject: `CN=${name}`, from, until, isAuthority }, above);
const CONTENT = new TextEncoder().encode('{"who":"it is"}');

describe('signed data', () => {
	it('is opened by whoever trusts its signer, or who stands above, at a time when both are good', async () => {
		const root = await makeAuthority('Root', later(-10), later(100));
		const own = await makeSigner('Own', root, later(-5), later(50));
		const signed = await signData(CONTENT, VOUCHER_JSON, { ...own, chain: [own.chain[0]!] }, AT);
		for (const trusted of [root.chain[0]!, own.chain[0]!]) {
			const opened = await openSigned(signed, VOUCHER_JSON, [fromPem(trusted)], AT);
			expect(opened, JSON.stringify(opened)).to.include({ ok: true });
			if (opened.ok) expect([opened.content, opened.at]).to.deep.equal([CONTENT, AT]);
			expect(await openSigned(signed, VOUCHER_JSON, [fromPem(trusted)], null)).to.include({ ok: true });
			expect(await openSigned(signed, VOUCHER_JSON, [fromPem(trusted)], later(51))).to.include({ ok: false });
			expect(await openSigned(signed, VOUCHER_JSON, [fromPem(trusted)], later(-6))).to.include({ ok: false });
			expect(await openSigned(signed, DATA, [fromPem(trusted)], AT)).to.include({ ok: false });
		}
	});

	it('leads over certificates that come beside it, and not over one that may not sign others', async () => {
		const root = await makeAuthority('Root', later(-10), later(100));
		const between = await makeSigner('Between', root, later(-10), later(100), true);
		const own = await makeSigner('Own', between, later(-5), later(50));
		const forged = await makeSigner('Forged', own, later(-5), later(50));
		const alone = (signer: typeof own) =>
			signData(CONTENT, DATA, { ...signer, chain: [signer.chain[0]!] }, AT);
		const anchor = [fromPem(root.chain[0]!)];
		expect(await openSigned(await alone(own), DATA, anchor, AT)).to.include({ ok: false });
		const more = certificatesIn(certificatesOnly(own.chain))!;
		expect(more).to.have.length(own.chain.length);
		expect(await openSigned(await alone(own), DATA, anchor, AT, more)).to.include({ ok: true });
		expect(await openSigned(await signData(CONTENT, DATA, forged, AT), DATA, anchor, AT)).to.include({
			ok: false
		});
	});

	it('is not opened by who trusts somebody else of the same name', async () => {
		const [one, other] = [
			await makeAuthority('Root', later(-10), later(100)),
			await makeAuthority('Root', later(-10), later(100))
		];
		const signed = await signData(CONTENT, DATA, one, AT);
		expect(await openSigned(signed, DATA, [fromPem(other.chain[0]!)], AT)).to.include({ ok: false });
	});

	it('is refused with any octet changed, cut off or added, and never throws', async () => {
		const root = await makeAuthority('Root', later(-10), later(100));
		const signed = await signData(CONTENT, DATA, root, AT);
		const trusted = [fromPem(root.chain[0]!)];
		await fc.assert(
			fc.asyncProperty(
				fc.nat(signed.length - 1),
				fc.integer({ min: 1, max: 255 }),
				fc.constantFrom('change', 'cut', 'add', 'repeat'),
				async (at, by, how) => {
					const octets = Uint8Array.from(
						how === 'change'
							? signed.with(at, signed[at]! ^ by)
							: how === 'cut'
								? signed.slice(0, at)
								: how === 'add'
									? [...signed.slice(0, at), by, ...signed.slice(at)]
									: [...signed.slice(0, at), ...signed.slice(Math.max(0, at - by))]
					);
					const opened = await openSigned(octets, DATA, trusted, AT);
					// Some octets say nothing, such as how a length is written; what was signed is never another
					if (opened.ok) expect(opened.content).to.deep.equal(CONTENT);
				}
			),
			{ numRuns: 300 }
		);
	});
});

describe('a voucher', () => {
	const serial = fc.string({ unit: fc.constantFrom(...'ABC0123456789'), minLength: 1, maxLength: 20 });
	const pinned = fc.uint8Array({ minLength: 1, maxLength: 60 });
	const instant = fc
		.date({ min: new Date('2020-01-01'), max: new Date('2040-01-01'), noInvalidDate: true })
		.map((date) => new Date(Math.floor(date.getTime() / 1000) * 1000));
	const nonce = fc
		.uint8Array({ minLength: 16, maxLength: 32 })
		.map((octets) => btoa(String.fromCharCode(...octets)));
	const voucher: fc.Arbitrary<Voucher> = fc.oneof(
		fc.record({ serial, createdOn: instant, expiresOn: instant, nonce: fc.constant(null), pinned }),
		fc.record({ serial, createdOn: instant, expiresOn: fc.constant(null), nonce, pinned })
	);

	it('is read as it was written', () => {
		fc.assert(
			fc.property(voucher, (one) => {
				expect(readVoucher(writeVoucher(one))).to.deep.equal({ ok: true, voucher: one });
			})
		);
	});

	it('is none with both a nonce and an end, with neither, or with a date that is none', () => {
		const written = (change: object) => {
			const json = JSON.parse(
				new TextDecoder().decode(
					writeVoucher({ serial: 'A', createdOn: AT, expiresOn: later(1), nonce: null, pinned: CONTENT })
				)
			);
			Object.assign(json['ietf-voucher:voucher'], change);
			return readVoucher(new TextEncoder().encode(JSON.stringify(json)));
		};
		expect(written({})).to.include({ ok: true });
		// What later editions of the module add is not ours to refuse
		expect(written({ 'additional-configuration': 'x' })).to.include({ ok: true });
		for (const change of [
			{ nonce: btoa('0123456789abcdef') },
			{ 'expires-on': undefined },
			{ 'created-on': 'yesterday' },
			{ 'created-on': '2027-13-40T00:00:00Z' },
			{ 'pinned-domain-cert': '%' },
			{ assertion: 'sure' },
			{ 'serial-number': '' }
		])
			expect(written(change), JSON.stringify(change)).to.include({ ok: false });
		for (const text of ['', '[]', '{}', 'null', '\u00ff'])
			expect(readVoucher(Buffer.from(text, 'latin1'))).to.include({ ok: false });
	});

	it('is believed for its own unit, in its time, or for its nonce, and for nothing else', () => {
		fc.assert(
			fc.property(voucher, instant, fc.boolean(), nonce, (one, now, hasClock, otherNonce) => {
				const asked = { serial: one.serial, now: hasClock ? now : null, nonce: one.nonce };
				const isGood = voucherProblem(one, asked) === null;
				const isInTime =
					one.expiresOn !== null &&
					one.createdOn < one.expiresOn &&
					one.expiresOn > now &&
					one.createdOn.getTime() <= now.getTime() + 86_400_000;
				expect(isGood).to.equal(one.nonce !== null || (hasClock && isInTime));
				expect(voucherProblem(one, { ...asked, serial: `${one.serial}X` })).to.match(/^It is for/);
				if (one.nonce !== null && otherNonce !== one.nonce) {
					expect(voucherProblem(one, { ...asked, nonce: otherNonce })).to.match(/nonce/);
					expect(voucherProblem(one, { ...asked, nonce: null })).to.match(/nonce/);
				}
			})
		);
	});
});
