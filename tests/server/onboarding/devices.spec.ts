import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { INPUT, YANG_JSON } from '../../../src/core/bootstrap';
import { issue, type Signer } from '../../../src/core/trust';
import { currentSettings } from '../../../src/lib/server/settings';
import { deviceAuthority } from '../../../standins/registry/authority';
import { deviceCertificate } from '../../../standins/units/onboarding/identity';
import {
	answerOf,
	basic,
	boundUnit,
	customerId,
	customerLike,
	newLabel,
	newPerson,
	newUnit,
	OPERATIONS,
	post,
	runOf,
	unwalled,
	type TestPerson
} from '../making';
import { secure, type Asked } from '../secure';

const DAY_MS = 86_400_000;
const later = (days: number) => new Date(Date.now() + days * DAY_MS);

/** One that calls itself as a maker's authority does. */
const pretender = (name: string) =>
	issue({ subject: name, from: later(-1), until: later(1), isAuthority: true });
const shownBy = ({ key, chain }: Signer) => ({ key, cert: chain.join('\n') });

const say = (more: Partial<Asked>) =>
	secure({
		port: currentSettings().LIMEN_BOOTSTRAP_PORT,
		path: `${OPERATIONS}report-progress`,
		method: 'POST',
		body: JSON.stringify({ [INPUT]: { 'progress-type': 'bootstrap-initiated' } }),
		...more,
		headers: { 'content-type': YANG_JSON, ...more.headers }
	});
const code = ({ serial, claimCode }: { serial: string; claimCode: string }) => ({
	headers: { authorization: basic(serial, claimCode) }
});
/** Why the door says that a caller was not let in. */
const reasons = (serial: string): Promise<string[]> =>
	unwalled()('caller').where({ serial }).orderBy('id').pluck('reason');

describe('a device certificate', () => {
	const maker = deviceAuthority('okapira');
	const of = (serial: string, by: Signer = maker) => deviceCertificate(serial, by);

	it('says who a unit is, without a claim code', async () => {
		const unit = await boundUnit();
		expect((await say(shownBy(await of(unit.serial)))).status).to.equal(204);
		expect(await runOf(unit.runId)).to.include({ step: 'identity' });
	});

	it('counts on a connection that is made anew from a session before', async () => {
		const unit = await boundUnit();
		const own = shownBy(await of(unit.serial));
		let session: Buffer | undefined;
		expect((await say({ ...own, onSession: (given) => (session = given) })).status).to.equal(204);
		expect((await say({ ...own, ...(session && { session }) })).status).to.equal(204);
	});

	it('of somebody else who calls himself the same, or that is only said in a header, counts for nothing', async () => {
		const unit = await boundUnit();
		const forger = await pretender('CN=Okapira devices 1, O=Okapira');
		const forged = await issue(
			{ subject: `CN=x, 2.5.4.5=${unit.serial}`, from: later(-1), until: later(1), isAuthority: false },
			forger
		);
		expect((await say(shownBy(forged))).status).to.equal(401);
		expect((await say(shownBy({ ...forged, chain: [forged.chain[0]!] }))).status).to.equal(401);
		expect((await say({})).status).to.equal(401);
		for (const name of ['x-limen-device-serial', 'x-limen-device', 'LIMEN_DEVICE_HEADER', 'undefined'])
			expect((await say({ headers: { [name]: unit.serial } })).status).to.equal(401);
		expect(await runOf(unit.runId)).to.include({ step: 'bound' });
		expect(await reasons(unit.serial)).to.deep.equal([]);
	});

	it('without a claim is told at the door from a caller that knows nothing, and neither learns a thing', async () => {
		const [certified, saying, unbound] = [newLabel(), newLabel(), await newUnit()];
		const answers = [
			await say(shownBy(await of(certified.serial))),
			await say(code(saying)),
			await say(shownBy(await of(unbound.serial)))
		];
		for (const answer of answers) {
			expect(answer.status).to.equal(404);
			expect(answer.text).to.equal(answers[0]!.text);
		}
		expect(await reasons(certified.serial)).to.deep.equal(['unclaimed']);
		expect(await reasons(saying.serial)).to.deep.equal(['unknown']);
		expect(await reasons(unbound.serial)).to.deep.equal(['unbound']);
	});

	it('is good for units of its own maker alone', async () => {
		const unit = await boundUnit();
		expect((await say(shownBy(await of(unit.serial, deviceAuthority('veltrane'))))).status).to.equal(404);
		expect(await reasons(unit.serial)).to.deep.equal(['unclaimed']);
	});

	it('has to agree with the claim code that comes with it', async () => {
		const [unit, other] = [await boundUnit(), await boundUnit()];
		const own = shownBy(await of(unit.serial));
		expect((await say({ ...own, ...code(unit) })).status).to.equal(204);
		expect((await say({ ...own, ...code({ ...unit, claimCode: 'AAAAAAAA' }) })).status).to.equal(404);
		expect((await say({ ...own, ...code(other) })).status).to.equal(404);
		expect(await reasons(unit.serial)).to.have.members(['wrong-code', 'bad-certificate']);
	});

	it('that has ended is refused, and the door says so', async () => {
		const unit = await boundUnit();
		const old = await deviceCertificate(unit.serial, maker, { from: later(-9), until: later(-1) });
		expect((await say(shownBy(old))).status).to.equal(404);
		expect(await reasons(unit.serial)).to.deep.equal(['bad-certificate']);
	});
});

describe('a maker’s revocation list', () => {
	const maker = deviceAuthority('okapira');
	let engineer: TestPerson;
	let folder: string;
	before(async () => {
		engineer = await newPerson('administrator');
		folder = mkdtempSync(join(tmpdir(), 'limen-revoked-'));
	});
	after(async () => {
		rmSync(folder, { recursive: true, force: true });
		await unwalled()('revocation_list').delete();
	});

	/** Made by openssl, so that it is read as others write it. */
	function listOf({ key, chain }: Signer, revoked: readonly Signer[], form: 'PEM' | 'DER' = 'PEM'): Buffer {
		const file = (name: string) => join(folder, name);
		const openssl = (...parameters: string[]) =>
			execFileSync('openssl', parameters, { cwd: folder, stdio: 'pipe' });
		rmSync(file('index'), { force: true });
		for (const [name, text] of Object.entries({
			index: '',
			number: '1000\n',
			'ca.key': key,
			'ca.crt': chain[0]!,
			config:
				'[ca]\ndefault_ca = own\n[own]\ndatabase = index\ncrlnumber = number\ndefault_md = sha256\ndefault_crl_days = 30\n'
		}))
			writeFileSync(file(name), text);
		const ca = ['ca', '-config', 'config', '-cert', 'ca.crt', '-keyfile', 'ca.key'];
		for (const { chain: own } of revoked) {
			writeFileSync(file('one.crt'), own[0]!);
			openssl(...ca, '-revoke', 'one.crt', '-crl_reason', 'keyCompromise');
		}
		openssl(...ca, '-gencrl', '-out', 'list.pem');
		if (form === 'PEM') return readFileSync(file('list.pem'));
		openssl('crl', '-in', 'list.pem', '-outform', 'DER', '-out', 'list.der');
		return readFileSync(file('list.der'));
	}
	const load = async (list: Uint8Array, as = engineer) => {
		const form = new FormData();
		form.set('list', new Blob([Uint8Array.from(list)]), 'list.crl');
		return answerOf(await post('/profiles/makers/okapira?/revoke', form, {}, as));
	};

	for (const form of ['PEM', 'DER'] as const)
		it(`as ${form} keeps out whom it names, and nobody else`, async () => {
			const [lost, kept] = [await boundUnit(), await boundUnit()];
			const [stolen, good] = [
				await deviceCertificate(lost.serial, maker),
				await deviceCertificate(kept.serial, maker)
			];
			expect((await say(shownBy(stolen))).status).to.equal(204);
			expect(await load(listOf(maker, [stolen], form))).to.include({ type: 'success' });
			expect((await say(shownBy(stolen))).status).to.equal(404);
			expect(await reasons(lost.serial)).to.deep.equal(['bad-certificate']);
			expect((await say(shownBy(good))).status).to.equal(204);
		});

	it('is refused from anybody else, older than the last, cut off, or as something else', async () => {
		const newest = listOf(maker, []);
		const problem = async (list: Uint8Array) => (await load(list)).data?.problem;
		expect(await load(newest)).to.include({ type: 'success' });
		await unwalled()('revocation_list').update({ made_at: later(1) });
		expect(await problem(newest)).to.equal('It is older than the list in use.');
		const forger = await pretender('CN=Okapira devices 1, O=Okapira');
		expect(await problem(listOf(forger, []))).to.include('None of the maker');
		for (const junk of [
			newest.subarray(0, 200),
			new Uint8Array([0x30, 0x80]),
			new Uint8Array(4096).fill(0x30),
			Buffer.from(maker.chain[0]!)
		])
			expect(await problem(junk)).to.include('no revocation list');
		const coordinator = await newPerson({ 'Marlstone Veterinary': 'coordinator' });
		expect(await load(newest, coordinator)).to.include({ type: 'error' });
	});
});

describe('a customer who wants device certificates', () => {
	const want = async (customer: string, wanted: 'yes' | 'no', as: TestPerson, maker = 'okapira') =>
		answerOf(
			await post(`/profiles/makers/${maker}?/want`, { customer: await customerId(customer), wanted }, {}, as)
		);

	it('lets no unit in by its claim code alone, until claim codes do again', async () => {
		const customer = await customerLike('Marlstone Veterinary');
		const engineer = await newPerson({ [customer]: 'engineer' });
		const unit = await boundUnit('gateway', customer);
		const own = shownBy(await deviceCertificate(unit.serial, deviceAuthority('okapira')));
		expect(await want(customer, 'yes', engineer)).to.include({ type: 'success' });
		expect((await say(code(unit))).status).to.equal(404);
		expect(await reasons(unit.serial)).to.deep.equal(['no-certificate']);
		expect((await say({ ...own, ...code(unit) })).status).to.equal(204);
		expect((await say(own)).status).to.equal(204);
		expect((await say(code(await boundUnit()))).status).to.equal(204);
		expect(await want(customer, 'no', engineer)).to.include({ type: 'success' });
		expect((await say(code(unit))).status).to.equal(204);
	});

	it('is asked for by the engineers of that customer, and for makers that give any', async () => {
		const customer = await customerLike('Marlstone Veterinary');
		for (const duties of [{ 'Marlstone Veterinary': 'engineer' }, { [customer]: 'technician' }] as const)
			expect((await want(customer, 'yes', await newPerson(duties))).type).to.not.equal('success');
		const { data } = await want(customer, 'yes', await newPerson('administrator'), 'brackwater');
		expect(data?.problem).to.include('names nobody');
	});
});
