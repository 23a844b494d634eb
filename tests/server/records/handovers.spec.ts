import { execFileSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { unzipSync } from 'fflate';
import { verifyHandover } from '../../../command/verify-handover';
import { runAs } from '../../../src/lib/server/database';
import { handoverJsonSchema, handovers, makeHandover } from '../../../src/lib/server/handover';
import { ensureOwnerKey } from '../../../src/lib/server/signing';
import { ACTOR, actorOf, address, boundUnit, get, newPerson, TEST_SITE, unwalled } from '../making';
import { provenSite, made, recordOf, octets, given, GIVEN, GREY_DOT, anEngineer } from './handover-making';

describe('a handover', () => {
	before(() => ensureOwnerKey());

	it('says what stands there, what was proven and who accepted it, to the letter as it is sealed', async () => {
		const { site, serial } = await provenSite();
		const { id, number } = await made(site, { openPoints: ['A second cable is promised'] });
		expect(number).to.equal(1);
		const record = await recordOf(id);
		expect(record.units).to.have.length(1);
		expect(record.units[0]).to.include({ serial, model: 'OG-2' });
		expect(record.proof.checks.map(({ title, state }) => `${title}: ${state}`)).to.deep.equal([
			'The unit that is bound here: holds',
			'Tunnel hub up: holds'
		]);
		expect(record).to.deep.include({ customer: 'Marlstone Veterinary', previous: null });
		expect(record.openPoints).to.deep.equal(['A second cable is promised']);
		expect(record.accepted).to.deep.equal({
			name: 'Bryony Castell',
			at: record.madeAt,
			how: 'on the screen',
			signature: GIVEN.signature
		});
		const entry = await unwalled()('ledger_entry').where({ subject_id: site, act: 'hand over site' }).first();
		const hash = createHash('sha256')
			.update(await octets(id, 'handover.json'))
			.digest('hex');
		expect(entry.detail).to.deep.include({ handover: id, record: hash });
		expect((await octets(id, 'handover.pdf')).subarray(0, 5).toString()).to.equal('%PDF-');
	});

	it('takes over the signature that was taken on the phone, once, with its own time', async () => {
		const { site } = await provenSite();
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const at = Date.now() - 3_600_000;
		const entry = {
			...{ id: randomUUID(), at, siteId: site, positionId: null },
			...{ kind: 'signature', name: 'Perrin Ault', strokes: 'M1 1L5 5' }
		};
		const send = async (one: object) => {
			const sent = await get('/day/sync', technician, {
				method: 'POST',
				headers: { origin: address(''), 'content-type': 'application/json' },
				body: JSON.stringify({ now: Date.now(), entries: [one] })
			});
			return { status: sent.status, ...(await sent.json()) };
		};
		expect((await send({ ...entry, strokes: '<script>' })).status).to.equal(400);
		expect((await send(entry)).outcomes).to.deep.equal([{ id: entry.id, outcome: 'done', words: '' }]);
		const how = { how: 'on the phone', acceptedBy: 'somebody else', signature: '', signed: entry.id };
		const { id } = await made(site, how);
		const { accepted } = await recordOf(id);
		expect(accepted).to.include({ name: 'Perrin Ault', how: 'on the screen', signature: 'M1 1L5 5' });
		expect(Math.abs(Date.parse(accepted.at) - at)).to.be.lessThan(5_000);
		expect(await makeHandover(site, given(how) as never, ACTOR)).to.have.property(
			'problem',
			'Let them sign first, or say that they accepted it by telephone.'
		);
	});

	it('shows the pictures that open, and says which does not', async () => {
		const { site, customer } = await provenSite();
		const photo = (words: string, bytes: Buffer) => ({
			...{ id: randomUUID(), site_id: site, customer_id: customer, kind: 'photo', words, photo: bytes },
			...{ outcome: 'done', person_id: ACTOR.personId, done_at: new Date(), received_at: new Date() }
		});
		await unwalled()('day_entry').insert([
			photo('Broken on its way', Buffer.from([0xff, 0xd8, 0xff, 0xe0, 0xff, 0xff, 3])),
			photo('One grey dot', Buffer.from(GREY_DOT, 'base64'))
		]);
		const { id } = await made(site);
		expect((await recordOf(id)).photos.map(({ words }) => words)).to.have.members([
			'Broken on its way',
			'One grey dot'
		]);
		const pdf = await octets(id, 'handover.pdf');
		expect(pdf.toString('latin1').match(/\/Subtype \/Image/g), 'one of the two is drawn').to.have.length(1);
	});

	it('is verified by openssl alone, against the certificate that was given beforehand, at the time of signing', async () => {
		const { site } = await provenSite();
		const { id } = await made(site);
		const folder = mkdtempSync(join(tmpdir(), 'limen-handover-'));
		for (const file of [
			'handover.pdf',
			'handover.pdf.p7s',
			'handover.json',
			'handover.json.p7s',
			'certificate.pem'
		])
			writeFileSync(join(folder, file), await octets(id, file));
		const { madeAt } = await recordOf(id);
		const openssl = (file: string) =>
			execFileSync(
				'openssl',
				[
					'cms', '-verify', '-binary', '-inform', 'DER', '-in', `${file}.p7s`, '-content', file, '-CAfile', 'certificate.pem',
					'-purpose', 'any', '-attime', String(Date.parse(madeAt) / 1000), '-out', '/dev/null'
				], // prettier-ignore
				{ cwd: folder, stdio: 'pipe' }
			);
		for (const file of ['handover.pdf', 'handover.json']) {
			openssl(file);
			await verifyHandover([join(folder, file), '--certificate', join(folder, 'certificate.pem')]);
			await verifyHandover([join(folder, file)]);
			writeFileSync(join(folder, file), Buffer.concat([readFileSync(join(folder, file)), Buffer.from(' ')]));
			expect(() => openssl(file)).to.throw();
			const refused = await verifyHandover([join(folder, file)]).then(() => '', String);
			expect(refused).to.contain('It was changed after it was signed, or signed by somebody else.');
		}
		const missing = await verifyHandover([join(folder, 'nothing.pdf')]).then(() => '', String);
		expect(missing).to.contain('There is no file');
	});

	it('has its form published', () => {
		expect(readFileSync(new URL('../../../docs/handover.schema.json', import.meta.url), 'utf8')).to.equal(
			handoverJsonSchema()
		);
	});

	it('never changes, whoever asks the database', async () => {
		const { site } = await provenSite();
		const { id } = await made(site);
		for (const change of [{ made_by: 'somebody else' }, { record: Buffer.from('x') }]) {
			const refused = await unwalled()('handover')
				.where({ id })
				.update(change)
				.then(() => '', String);
			expect(refused).to.contain('a handover never changes');
		}
		expect(
			await unwalled()('handover')
				.where({ id })
				.delete()
				.then(() => '', String)
		).to.contain('never changes');
	});

	it('refers to the earlier one and says what differs', async () => {
		const { site } = await provenSite('failed', 'It is down.');
		const first = await made(site);
		expect((await recordOf(first.id)).openPoints).to.deep.equal([
			'gw-1: Tunnel hub up does not hold. It is down.'
		]);
		await unwalled()('site_check')
			.where({ kind: 'tunnel' })
			.whereIn('proof_id', unwalled()('site_proof').where({ site_id: site }).select('id'))
			.update({ state: 'holds' });
		await unwalled()('site_proof').where({ site_id: site }).update({ state: 'held' });
		const second = await made(site);
		const { previous } = await recordOf(second.id);
		expect(previous).to.deep.include({ number: 1, differs: ['gw-1: Tunnel hub up holds now.'] });
		expect(previous!.sha256).to.equal(
			createHash('sha256')
				.update(await octets(first.id, 'handover.json'))
				.digest('hex')
		);
		expect(second.number).to.equal(2);
		expect((await handovers({ siteId: site })).map(({ number }) => number)).to.deep.equal([2, 1]);
	});

	it('is not made before a proof, without a signature that was promised, or by who only reads', async () => {
		const { positionId } = await boundUnit();
		const { site_id: bare } = await unwalled()('position').where({ id: positionId }).first('site_id');
		expect(await makeHandover(bare, given(), ACTOR))
			.to.have.property('problem')
			.that.matches(/^Prove the site first/);
		const { site } = await provenSite();
		expect(await makeHandover(site, given({ signature: '' }), ACTOR))
			.to.have.property('problem')
			.that.matches(/^Let them sign first/);
		const auditor = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		const refused = await runAs({ kind: 'person', personId: auditor.id }, async () =>
			makeHandover(site, given(), await actorOf(auditor))
		);
		expect(refused).to.have.property('problem', 'You may not hand over sites of this customer.');
		await unwalled()('site')
			.where({ id: site })
			.update({ proof_state: null, proof_at: null, proof_since: null });
		expect(await makeHandover(site, given(), ACTOR))
			.to.have.property('problem')
			.that.matches(/Prove the site again/);
	});

	it('bears hostile names, in any letters and of any length', async () => {
		const { site } = await provenSite('failed', `It said “${'x'.repeat(5000)}” <script>\u202e`);
		const name = `${TEST_SITE} ${site} ${'Ō'.repeat(40)}<b>${'{{ site }}'}\u0000\u200b店😀`.replaceAll(
			'\u0000',
			''
		);
		await unwalled()('site')
			.where({ id: site })
			.update({ name, street: `)\\ (${'y'.repeat(180)}` });
		const { id } = await made(site, {
			acceptedBy: '../../etc/passwd',
			openPoints: Array(40).fill('z'.repeat(180))
		});
		expect((await octets(id, 'handover.pdf')).length).to.be.greaterThan(10_000);
		const zip = unzipSync(
			new Uint8Array(await (await get(`/handovers/zip?id=${id}`, await anEngineer())).arrayBuffer())
		);
		const paths = Object.keys(zip);
		expect(paths).to.have.length(5);
		for (const path of paths) expect(path).to.match(/^[^/\\:*?"<>|]+\/[a-z.0-9]+$/);
	});

	it('is found by the customer’s own readers, many at once as one ZIP, and by nobody else', async () => {
		const [one, two] = [await provenSite(), await provenSite()];
		const ids = [(await made(one.site)).id, (await made(two.site)).id];
		const reader = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const list = await (await get('/handovers', reader)).text();
		for (const id of ids) expect(list).to.contain(`/handovers/${id}/handover.pdf`);
		const answer = await get(`/handovers/zip?${ids.map((id) => `id=${id}`).join('&')}`, reader);
		expect(answer.headers.get('content-type')).to.equal('application/zip');
		expect(Object.keys(unzipSync(new Uint8Array(await answer.arrayBuffer())))).to.have.length(10);
		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		expect((await get(`/handovers/${ids[0]}/handover.pdf`, stranger)).status).to.equal(404);
		expect((await get(`/handovers/zip?id=${ids[0]}`, stranger)).status).to.equal(404);
		expect(await (await get('/handovers', stranger)).text()).to.not.contain(ids[0]);
		expect((await get(`/handovers/${ids[0]}/owner_key`, reader)).status).to.equal(404);
		expect((await get('/handovers/zip', reader)).status).to.equal(400);
	});
});
