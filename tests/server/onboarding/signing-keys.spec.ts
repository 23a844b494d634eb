import { execFileSync } from 'node:child_process';
import { X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { runAs, SIGN_IN } from '../../../src/lib/server/database';
import {
	ensureOwnerKey,
	ownerKeys,
	renewOwnerKey,
	tellOfKeyEnd,
	signDetached,
	signingKey,
	verifyDetached
} from '../../../src/lib/server/signing';
import {
	actorOf,
	anAdministrator,
	answerOf,
	get,
	newPerson,
	post,
	unwalled,
	type TestPerson
} from '../making';

describe('the firm’s signing key', () => {
	it('is brought as PKCS #12 with its password, and refused in words with another one or when it is none', async () => {
		const administrator = await anAdministrator();
		const folder = mkdtempSync(join(tmpdir(), 'limen-key-'));
		const openssl = (...words: string[]) => execFileSync('openssl', words, { cwd: folder, stdio: 'pipe' });
		const ec = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-384', '-nodes'];
		openssl('req', '-x509', ...ec, '-keyout', 'k.pem', '-out', 'c.pem', '-days', '2', '-subj', '/CN=Locked');
		const locked = (name: string, ...more: string[]) => {
			openssl(
				'pkcs12',
				'-export',
				'-inkey',
				'k.pem',
				'-in',
				'c.pem',
				'-passout',
				'pass:ünlöck',
				'-out',
				name,
				...more
			);
			return readFileSync(join(folder, name));
		};
		const bring = async (octets: Buffer, password: string, pem = '') => {
			const form = new FormData();
			form.set('customer', '');
			form.set('pem', pem);
			form.set('password', password);
			form.set('file', new File([new Uint8Array(octets)], 'key.p12'));
			return answerOf(await post('/signing?/renew', form, {}, administrator));
		};
		const good = locked('good.p12');
		for (const [octets, password, pem, words] of [
			[good, 'unlock', '', 'the password is another one'],
			[good.subarray(0, 200), 'ünlöck', '', 'cannot be read'],
			[Buffer.from('no key'), 'ünlöck', '', 'cannot be read'],
			[locked('old.p12', '-legacy'), 'ünlöck', '', 'cannot be read'],
			[locked('none.p12', '-nokeys'), 'ünlöck', '', 'holds 0 private keys'],
			[locked('slow.p12', '-iter', '3000000', '-nomac'), 'ünlöck', '', 'cannot be read'],
			[Buffer.alloc(200_000), 'ünlöck', '', 'too large'],
			[good, 'ünlöck', 'PEM', 'One of them is enough']
		] as const) {
			const { type, data } = await bring(octets, password, pem);
			expect(type, words).to.equal('failure');
			expect(JSON.stringify(data)).to.contain(words);
		}
		expect((await bring(good, 'ünlöck')).type).to.equal('success');
		const now = await signingKey(null);
		expect(new X509Certificate(now.certificate).subject).to.equal('CN=Locked');
		const data = new TextEncoder().encode('a record');
		expect(await verifyDetached(data, await signDetached(data, now, new Date()), now.certificate)).to.include(
			{ ok: true }
		);
	});

	it('is renewed with the old ones still verified, and brought as PEM', async () => {
		await ensureOwnerKey();
		const administrator = await anAdministrator();
		const before = await signingKey(null);
		const data = new TextEncoder().encode('a record');
		const sealed = await signDetached(data, before, new Date());
		const folder = mkdtempSync(join(tmpdir(), 'limen-key-'));
		execFileSync(
			'openssl',
			[
				'req',
				'-x509',
				'-newkey',
				'rsa:2048',
				'-nodes',
				'-keyout',
				'k.pem',
				'-out',
				'c.pem',
				'-days',
				'2',
				'-subj',
				'/CN=Brought'
			],
			{ cwd: folder, stdio: 'pipe' }
		);
		const pem = `${readFileSync(join(folder, 'k.pem'), 'utf8')}\n${readFileSync(join(folder, 'c.pem'), 'utf8')}`;
		await runAs({ kind: 'person', personId: administrator.id }, async () => {
			const actor = await actorOf(administrator);
			expect(await renewOwnerKey({ customer: '', pem: 'nothing', password: '' }, actor)).to.have.property(
				'ok',
				false
			);
			expect(
				await renewOwnerKey(
					{
						customer: '',
						pem: pem.replace(/-----BEGIN CERTIFICATE-----[^]+/, before.certificate),
						password: ''
					},
					actor
				)
			).to.have.property('problem', 'The key is not that of the certificate.');
			expect(await renewOwnerKey({ customer: '', pem, password: '' }, actor)).to.have.property('ok', true);
		});
		const now = await signingKey(null);
		const byRsa = await signDetached(data, now, new Date());
		expect(await verifyDetached(data, byRsa, now.certificate)).to.include({ ok: true });
		expect(await verifyDetached(data, byRsa, before.certificate)).to.include({ ok: false });
		expect(await verifyDetached(data, sealed, before.certificate)).to.include({ ok: true });
		expect(await verifyDetached(data, new Uint8Array([1, 2, 3]), now.certificate)).to.include({ ok: false });
		const future = await signDetached(data, now, new Date(Date.now() + 10 * 24 * 3_600_000));
		expect(await verifyDetached(data, future, now.certificate)).to.have.property(
			'problem',
			'The certificate was not good when this was signed.'
		);
		// It ends in two days: administrators are told, once
		const lettersTo = (person: TestPerson) =>
			unwalled()('mail').where({ to_address: person.email }).whereILike('subject', '“Brought” ends on%');
		for (let times = 0; times < 2; times++) await runAs(SIGN_IN, tellOfKeyEnd);
		expect(await lettersTo(administrator)).to.have.lengthOf(1);
		expect(await (await get('/', administrator)).text()).to.match(/The certificate of “Brought” ends/);
		const keys = await ownerKeys();
		expect(keys[0]).to.include({ isBrought: true, retiredAt: null, subject: 'Brought' });
		expect(
			(
				await post(
					'/signing?/renew',
					{ pem: '' },
					{},
					await newPerson({ 'Marlstone Veterinary': 'engineer' })
				)
			).status
		).to.not.equal(200);
	});
});
