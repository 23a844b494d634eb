import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { decodeConveyed, INPUT, OUTPUT, REDIRECT } from '../../../src/core/bootstrap';
import { fromPem, type Signer } from '../../../src/core/trust';
import { BOOTSTRAP, database, runAs } from '../../../src/lib/server/database';
import { bootstrappingData, expectUnit, type ExpectedUnit } from '../../../src/lib/server/bootstrap';
import { keySchema, ownerKeys, renewOwnerKey, signingKey } from '../../../src/lib/server/signing';
import { voucherOf } from '../../../src/lib/server/trust';
import type { Registry } from '../../../standins/registry/registry';
import { believe, type Believes } from '../../../standins/units/onboarding/trust';
import { claimedAt, knownTo, openRegistry, renewAll, voucherAuthority } from './maker-registry';
import { actorOf, customerId, get, invoke, newLabel, newPerson, post, unwalled } from '../making';
import { must } from '../profile/profile-making';
import * as v from 'valibot';

const DAY_MS = 86_400_000;
const rootOf = ({ chain }: Signer): string => chain.at(-1)!;

type Answered = Record<'conveyed-information' | 'owner-certificate' | 'ownership-voucher', string>;

describe('a unit that believes its maker’s vouchers alone', function () {
	let maker: Signer;
	let registry: Registry;
	let close: () => Promise<void>;
	before(async () => (maker = await voucherAuthority('Okapira')));
	afterEach(async () => {
		await close();
		for (const table of ['registry_state', 'claim_request', 'voucher']) await unwalled()(table).delete();
	});

	/** A unit of ours at a position, of which the registry knows. */
	async function claimed(authority: Signer | null = maker, faults: readonly 'false-vouchers'[] = []) {
		const label = newLabel();
		const opened = await openRegistry([knownTo(label)], authority);
		({ registry, close } = opened);
		const { place } = opened;
		for (const fault of faults) registry.faults.add(fault);
		return claimedAt(place, label);
	}
	type Claimed = Awaited<ReturnType<typeof claimed>>;
	const stands = ({ unitId }: Claimed) => voucherOf(unitId);
	/** The same in this process, which knows the registry that is asked meanwhile. */
	const askWith = (unit: Claimed, nonce: string): Promise<Answered> =>
		runAs(BOOTSTRAP, async () => {
			const expected = (await expectUnit(
				{ credentials: unit, certified: null },
				'127.0.0.1'
			)) as ExpectedUnit;
			const asking = { 'signed-data-preferred': [null] as const, nonce };
			return (await bootstrappingData(expected, asking, unit.serial, '127.0.0.1')) as Answered;
		});
	async function ask(unit: Claimed): Promise<Answered> {
		const response = await invoke('get-bootstrapping-data', unit, {
			[INPUT]: { 'signed-data-preferred': [null] }
		});
		expect(response.status).to.equal(200);
		return (await response.json())[OUTPUT];
	}
	const believing = (unit: Claimed, more: Partial<Believes> = {}): Believes => ({
		serial: unit.serial,
		root: fromPem(rootOf(maker)),
		now: new Date(),
		nonce: null,
		...more
	});

	it('is given what its owner signed, which openssl and yanglint accept as docs/trust.md says', async () => {
		const unit = await claimed();
		const answer = await ask(unit);
		const folder = mkdtempSync(join(tmpdir(), 'limen-trust-'));
		try {
			for (const name of ['conveyed-information', 'owner-certificate', 'ownership-voucher'] as const)
				writeFileSync(join(folder, `${name}.cms`), Buffer.from(answer[name], 'base64'));
			writeFileSync(join(folder, 'maker.pem'), rootOf(maker));
			const [, script] = /```sh\n([^]+?)```/.exec(readFileSync('docs/trust.md', 'utf8'))!;
			const run = (command: string, ...args: string[]) =>
				execFileSync(command, args, { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
			expect(run('sh', '-euc', script!)).to.include('owner.pem: OK');
			const voucher = JSON.parse(readFileSync(join(folder, 'voucher.json'), 'utf8'))['ietf-voucher:voucher'];
			expect(voucher['serial-number']).to.equal(unit.serial);
			const [key] = await ownerKeys();
			expect(run('openssl', 'x509', '-in', 'pinned.pem', '-noout', '-fingerprint', '-sha256')).to.include(
				key!.fingerprint
			);
			// It was changed on its way
			const changed = Buffer.from(answer['conveyed-information'], 'base64');
			changed[changed.length >> 1]! ^= 1;
			writeFileSync(join(folder, 'conveyed-information.cms'), changed);
			expect(() => run('sh', '-euc', script!)).to.throw();
			const yang = join(process.cwd(), 'tests', 'yang');
			const lint = (file: string, module: string, ...options: string[]) =>
				run('yanglint', '-p', yang, ...options, join(yang, `${module}.yang`), file);
			lint('conveyed.json', 'ietf-sztp-conveyed-info', '-t', 'data');
			writeFileSync(
				join(folder, 'answer.json'),
				JSON.stringify({ 'ietf-sztp-bootstrap-server:get-bootstrapping-data': answer })
			);
			lint('answer.json', 'ietf-sztp-bootstrap-server', '-t', 'reply');
		} finally {
			rmSync(folder, { recursive: true });
		}
	});

	it('takes it, and nothing that is another’s, of another time, or turned into something unsigned', async () => {
		const unit = await claimed();
		const answer = await ask(unit);
		const other = await voucherAuthority('Okapira');
		const cases: [
			string,
			Partial<Believes>,
			Partial<Record<keyof Answered, string | undefined>>,
			RegExp | null
		][] = [
			['as it is', {}, {}, null],
			['forged', { root: fromPem(rootOf(other)) }, {}, /^voucher: It was signed by somebody/],
			['for another', { serial: `${unit.serial}X` }, {}, /^voucher: It is for OG/],
			['at its end', { now: new Date(Date.now() + 31 * DAY_MS) }, {}, /^voucher: It ended on/],
			['without a clock', { now: null, nonce: 'AAAA' }, {}, /^voucher: Without a clock/],
			['unsigned', {}, { 'ownership-voucher': undefined }, /not |is no|content type/],
			['another voucher', {}, { 'ownership-voucher': answer['owner-certificate'] }, /^voucher: /],
			[
				'no certificate',
				{},
				{ 'owner-certificate': answer['conveyed-information'].slice(0, 40) },
				/^owner certificate/
			],
			[
				'signed by nobody',
				{},
				{ 'conveyed-information': answer['owner-certificate'] },
				/^what it was given: /
			],
			[
				'signed by its maker',
				{},
				{ 'conveyed-information': answer['ownership-voucher'] },
				/^what it was given: /
			]
		];
		for (const [name, believes, change, problem] of cases) {
			const believed = await believe({ ...answer, ...change }, believing(unit, believes));
			expect(believed.ok ? null : believed.problem, name)[problem ? 'match' : 'equal'](problem as never);
		}
	});

	it('is told only where to ask as long as it has no voucher', async () => {
		const unit = await claimed(null);
		expect((await stands(unit))?.problem).to.equal('Its maker’s registry gives no vouchers.');
		const answer = await ask(unit);
		expect(answer).to.not.have.any.keys('ownership-voucher', 'owner-certificate');
		const conveyed = decodeConveyed(answer['conveyed-information']);
		if (!conveyed.ok || !(REDIRECT in conveyed.information)) throw new Error('no redirect');
		const [server] = conveyed.information[REDIRECT]['bootstrap-server'];
		expect(Buffer.from(server!['trust-anchor']!, 'base64').length).to.be.greaterThan(200);
		const unsigned = await invoke('get-bootstrapping-data', unit, { [INPUT]: {} });
		expect((await unsigned.json())[OUTPUT]).to.not.have.any.keys('ownership-voucher');
	});

	it('without a clock is given a voucher for its nonce, asked for while it waits; for no other unit', async () => {
		const unit = await claimed();
		const nonce = Buffer.alloc(20, 7).toString('base64');
		const answer = await askWith(unit, nonce);
		const believes = { now: null, nonce };
		expect(await believe(answer, believing(unit, believes))).to.include({ ok: true });
		const another = Buffer.alloc(20, 8).toString('base64');
		for (const more of [
			{ now: null, nonce: another },
			{ now: new Date(), nonce: null }
		])
			expect(await believe(answer, believing(unit, more))).to.deep.equal({
				ok: false,
				problem: 'voucher: Its nonce is not the one that was sent.'
			});
		registry.faults.add('down');
		expect(await askWith(unit, nonce)).to.not.have.any.keys('ownership-voucher');
	});

	it('has no voucher from a registry that lies, and the unit’s page would say why', async () => {
		const unit = await claimed(maker, ['false-vouchers']);
		expect(await stands(unit)).to.deep.equal({
			expiresAt: null,
			problem:
				'Its maker’s registry gave one that its unit would refuse. It pins another certificate than ours.'
		});
		expect(await ask(unit)).to.not.have.any.keys('ownership-voucher');
		// As if the pause had passed, and the registry has come to its senses
		registry.faults.clear();
		await unwalled()('voucher').where({ unit_id: unit.unitId }).update({ next_at: new Date() });
		await renewAll();
		expect(await believe(await ask(unit), believing(unit))).to.include({ ok: true });
	});

	it('keeps what the earlier key signs until its voucher pins the new one', async () => {
		const unit = await claimed();
		const before = await ask(unit);
		registry.faults.add('down');
		const administrator = await newPerson('administrator');
		await runAs({ kind: 'person', personId: administrator.id }, async () =>
			must(await renewOwnerKey(v.parse(keySchema, {}), await actorOf(administrator)))
		);
		expect(await believe(await ask(unit), believing(unit))).to.include({ ok: true });
		registry.faults.clear();
		const keyOf = async () =>
			(await unwalled()('voucher').where({ unit_id: unit.unitId }).first('owner_key_id')).owner_key_id;
		const old = await keyOf();
		await unwalled()('voucher').where({ unit_id: unit.unitId }).update({ attempts: 0, next_at: new Date() });
		await renewAll();
		expect(await keyOf()).to.not.equal(old);
		const after = await ask(unit);
		expect(after['owner-certificate']).to.not.equal(before['owner-certificate']);
		expect(await believe(after, believing(unit))).to.include({ ok: true });
		// One from before beside what is signed now
		expect(
			await believe({ ...after, 'ownership-voucher': before['ownership-voucher'] }, believing(unit))
		).to.include({ ok: false });
	});

	it('believes the key of its customer’s own, where there is one, and the firm’s again after that', async () => {
		const unit = await claimed();
		const firm = await signingKey(null);
		const [administrator, elsewhere] = await Promise.all([
			newPerson('administrator'),
			newPerson({ 'Pippin & Loaf': 'engineer' })
		]);
		const asAdministrator = (page: string, fields: Record<string, string>) =>
			post(page, fields, {}, administrator);
		const customer = await customerId();
		/** What signs, and what the voucher pins once its maker has been asked. */
		async function signs() {
			await renewAll();
			const answer = await ask(unit);
			expect(await believe(answer, believing(unit))).to.include({ ok: true });
			const row = await unwalled()('voucher').where({ unit_id: unit.unitId }).first('owner_key_id');
			return row.owner_key_id as string;
		}
		expect(await signs()).to.equal(firm.id);
		try {
			await asAdministrator('/signing?/renew', { customer, pem: '' });
			const own = await signs();
			expect(own).to.not.equal(firm.id);
			expect((await signingKey(customer)).id).to.equal(own);
			expect((await signingKey(await customerId('Pippin & Loaf'))).id).to.equal(firm.id);
			expect(
				await runAs({ kind: 'person', personId: elsewhere.id }, () =>
					database()('owner_key').where({ id: own })
				)
			).to.deep.equal([]);
			const page = await (await get('/signing', administrator)).text();
			expect(page).to.include('The key that signs for Marlstone Veterinary');
		} finally {
			await asAdministrator('/signing?/giveUp', { customer });
		}
		expect(await signs()).to.equal(firm.id);
		const again = await asAdministrator('/signing?/giveUp', { customer });
		expect(await again.text()).to.include('no key of its own any more');
	});
});
