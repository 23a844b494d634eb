import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import { expect } from 'chai';
import fc from 'fast-check';
import { issue } from './certificate';
import type { Signer } from './cms';
import { fromPem } from './octets';
import { plainSerial, readRevocationList } from './revocation';

const AT = new Date('2027-03-01T12:00:00Z');
const later = (days: number) => new Date(AT.getTime() + days * 86_400_000);
const authority = (name: string) =>
	issue({ subject: `CN=${name}`, from: later(-10), until: later(100), isAuthority: true });
const derOf = ({ chain }: Signer): Uint8Array => fromPem(chain[0]!);

/** A list as another library writes it. */
async function listOf(
	{ key, chain }: Signer,
	revoked: readonly string[],
	extensions: x509.Extension[] = []
): Promise<Uint8Array> {
	const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
	const signingKey = await crypto.subtle.importKey('pkcs8', Uint8Array.from(fromPem(key)), algorithm, false, [
		'sign'
	]);
	const list = await x509.X509CrlGenerator.create(
		{
			issuer: new x509.X509Certificate(chain[0]!).subject,
			thisUpdate: AT,
			nextUpdate: later(30),
			entries: revoked.map((serialNumber) => ({ serialNumber, revocationDate: AT })),
			signingKey,
			signingAlgorithm: algorithm,
			...(extensions.length > 0 && { extensions })
		},
		crypto
	);
	return new Uint8Array(list.rawData);
}

describe('a revocation list', () => {
	let maker: Signer;
	let other: Signer;
	before(async () => void ([maker, other] = await Promise.all([authority('Maker'), authority('Maker')])));

	it('says which certificates of its own authority count no more', async () => {
		const read = await readRevocationList(await listOf(maker, ['01ab', '7f']), [derOf(other), derOf(maker)]);
		expect(read).to.deep.equal({
			ok: true,
			list: { authority: 1, number: null, madeAt: AT, nextBy: later(30), revoked: ['1AB', '7F'] }
		});
		expect(plainSerial('00')).to.equal('0');
	});

	it('is refused from one who calls himself the same, and as a part of a list', async () => {
		const list = await listOf(maker, ['7f']);
		expect(await readRevocationList(list, [derOf(other)])).to.include({ ok: false });
		expect(await readRevocationList(list, [])).to.include({ ok: false });
		// 2.5.29.27 says that a list is only what changed since another
		const delta = await listOf(
			maker,
			['7f'],
			[new x509.Extension('2.5.29.27', true, Uint8Array.of(2, 1, 1))]
		);
		expect(await readRevocationList(delta, [derOf(maker)])).to.include({ ok: false });
	});

	it('is never taken with other content, whatever is changed in it, and reading never throws', async () => {
		const list = await listOf(maker, ['01ab', '7f', '0200ff']);
		await fc.assert(
			fc.asyncProperty(
				fc.nat(list.length - 1),
				fc.integer({ min: 1, max: 255 }),
				fc.nat(2),
				async (at, by, how) => {
					const changed =
						how === 0
							? list.map((octet, index) => (index === at ? octet ^ by : octet))
							: how === 1
								? list.slice(0, at)
								: Uint8Array.from([...list.slice(0, at), by, ...list.slice(at)]);
					const read = await readRevocationList(changed, [derOf(maker)]);
					if (read.ok) expect(read.list.revoked).to.deep.equal(['1AB', '7F', '200FF']);
				}
			),
			{ numRuns: 400 }
		);
	});
});
