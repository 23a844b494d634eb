import { expect } from 'chai';
import { deviceAuthority } from '../../../standins/registry/authority';
import { Fabric } from '../../../standins/network/fabric';
import type { Fault } from '../../../standins/units/flash';
import { newHostKey } from '../../../standins/units/home';
import { filesIn } from '../../../standins/units/onboarding/storage';
import type { MakerKeys } from '../../../standins/units/self';
import { Unit } from '../../../standins/units/unit';
import { onChange } from '../dialling';
import { claimedAt, knownTo, openRegistry, voucherAuthority } from '../intake/maker-registry';
import {
	answerOf,
	customerLike,
	get,
	newLabel,
	newPerson,
	newUnit,
	post,
	runOf,
	unwalled,
	type TestPerson
} from '../making';
import { simulatedNetwork } from '../simulated';

type Bound = Awaited<ReturnType<typeof claimedAt>>;

/** Units that believe nobody but whom their maker's voucher names, on a network that is a stranger's. */
describe('a factory-new unit that believes vouchers alone', function () {
	let keys: MakerKeys;
	const units: Unit[] = [];
	const closes: (() => void | Promise<void>)[] = [];
	before(async () => {
		keys = { vouchers: await voucherAuthority('Okapira'), devices: deviceAuthority('okapira') };
	});
	afterEach(async () => {
		await Promise.all(units.splice(0).map((unit) => unit.switchOff()));
		for (const close of closes.splice(0)) await close();
		for (const table of ['registry_state', 'claim_request', 'voucher']) await unwalled()(table).delete();
	});

	interface Circumstances {
		readonly vouches?: boolean;
		/** It gets to its maker's own server. */
		readonly knowsMaker?: boolean;
		/** What somebody does before it gets power. */
		readonly prepare?: (unit: Unit, bound: Bound) => Promise<void>;
	}
	/** One that is claimed and bound, switched on, and as far as something holds of it. */
	async function switchedOn(
		faults: readonly Fault[],
		until: (unit: Unit, runId: string) => Promise<boolean>,
		{ vouches = true, knowsMaker = true, prepare }: Circumstances = {}
	) {
		const label = newLabel();
		const opened = await openRegistry([knownTo(label)], vouches ? keys.vouchers : null);
		closes.push(opened.close);
		const bound = await claimedAt(opened.place, label);
		const { world: whole, close } = await simulatedNetwork(
			0.001,
			() => true,
			new Map([['okapira', { ...keys, registry: opened.registry }]])
		);
		closes.push(close);
		const { wellKnownPort, ...world } = whole;
		let changed: () => void = () => undefined;
		const unit: Unit = new Unit(
			{ ...label, model: 'OG-2', maker: 'okapira' },
			{ version: '7.0.3', configuration: null, hostKey: newHostKey() },
			{ ...world, ...(knowsMaker && wellKnownPort !== undefined && { wellKnownPort }) },
			new Fabric(() => units, 1),
			() => changed()
		);
		units.push(unit);
		for (const fault of faults) unit.faults.add(fault);
		await prepare?.(unit, bound);
		unit.switchOn();
		for (;;) {
			const next = new Promise<void>((resolve) => (changed = resolve));
			if (await until(unit, bound.runId)) break;
			await next;
		}
		return { ...bound, unit };
	}
	const onConsole = (words: RegExp) => (unit: Unit) =>
		Promise.resolve(unit.console.some((line) => words.test(line)));
	const hasEnded = async (_: Unit, runId: string) => (await runOf(runId)).outcome !== 'open';
	const eventsOf = (
		runId: string
	): Promise<{ kind: string; progress_type: string | null; words: string }[]> =>
		unwalled()('run_event').where({ run_id: runId }).orderBy('id').select('kind', 'progress_type', 'words');

	it('is sent on by a server that it does not know, to one that its owner names, and becomes what its owner signed', async () => {
		const { runId, unit } = await switchedOn([], onConsole(/bootstrap complete/));
		const [first, second, ...rest] = await eventsOf(runId);
		expect(first).to.deep.include({ kind: 'redirect' });
		expect(first!.words).to.match(/^https:\/\/127\.0\.0\.1:\d+, signed\.$/);
		expect(second).to.deep.include({ kind: 'call' });
		expect(rest.map(({ progress_type }) => progress_type)).to.include.members([
			'bootstrap-initiated',
			'parsing-complete',
			'config-complete',
			'bootstrap-complete'
		]);
		expect(unit.flash.configuration).to.not.equal(null);
	});

	it('finds its owner by what its maker’s own server says, where its network says nothing', async () => {
		const { runId } = await switchedOn(['no-option'], onConsole(/bootstrap complete/));
		expect((await eventsOf(runId)).map(({ kind }) => kind)).to.not.include('redirect');
	});

	it('becomes nothing as long as it has no voucher, and says so', async () => {
		const { runId, unit } = await switchedOn([], onConsole(/has nothing for this unit/), { vouches: false });
		expect(unit.flash.configuration).to.equal(null);
		const [first] = await eventsOf(runId);
		expect(first!.words).to.include('there is none for it yet');
	});

	it('ends a circle that somebody in its network sends it in, and finds its owner by its maker', async () => {
		const { runId } = await switchedOn(['circle'], onConsole(/bootstrap complete/));
		expect((await eventsOf(runId)).filter(({ kind }) => kind === 'redirect')).to.have.length.within(1, 3);
	});

	it('that is sent on again and again without coming is told of', async () => {
		const { runId } = await switchedOn(
			['circle'],
			async (_, run) => (await eventsOf(run)).some(({ words }) => words.includes('and it did not come')),
			{ knowsMaker: false }
		);
		expect((await runOf(runId)).step).to.equal('bound');
	});

	const REFUSED: readonly (readonly [Fault, RegExp])[] = [
		['forged-voucher', /^voucher: It was signed by somebody who is not trusted/],
		['other-voucher', /^voucher: It is for OG/],
		['old-voucher', /^voucher: It ended on /],
		['replayed-nonce', /^voucher: Its nonce is not the one that was sent/],
		['wrong-owner', /^what it was given: It was signed by somebody who is not trusted/],
		['tampered', /^what it was given: /],
		['unsigned', /^what it was given is not signed/]
	];
	for (const [fault, words] of REFUSED)
		it(`refuses what it is given, and reports it: ${fault}`, async () => {
			const { runId, unit } = await switchedOn([fault], hasEnded);
			const run = await runOf(runId);
			expect(run).to.include({ outcome: 'failed', failure_kind: 'parsing-error' });
			expect(run.failure_words).to.match(words);
			expect(unit.flash.configuration).to.equal(null);
		});

	/** Files for a unit's stick, as the browser gets them. */
	async function filesFor({ unitId }: Bound, kind: 'ask' | 'all', as?: TestPerson): Promise<Buffer> {
		const response = await post('/bundles', { unit: unitId, kind }, {}, as);
		expect(response.status).to.equal(200);
		return Buffer.from(await response.arrayBuffer());
	}
	const carrying =
		(kind: 'ask' | 'all') =>
		async (unit: Unit, bound: Bound): Promise<void> =>
			void (unit.storage = filesIn(await filesFor(bound, kind)));

	it('is told where to ask by its USB stick, where nobody else says so', async () => {
		const { runId } = await switchedOn(['no-option'], onConsole(/bootstrap complete/), {
			knowsMaker: false,
			prepare: carrying('ask')
		});
		const kinds = (await eventsOf(runId)).map(({ kind }) => kind);
		expect(kinds.slice(0, 2)).to.deep.equal(['bundle', 'call']);
	});

	it('becomes what its USB stick holds, and is let in once somebody says whose key it is', async () => {
		const { runId, unitId, unit } = await switchedOn(['no-option'], onConsole(/its key is SHA256:/), {
			knowsMaker: false,
			prepare: carrying('all')
		});
		const [, fingerprint] = /its key is (SHA256:\S+)/.exec(
			unit.console.find((line) => line.includes('its key is'))!
		)!;
		const theirs = () =>
			unwalled()('caller').where({ serial: fingerprint, reason: 'unknown-key' }).first('id');
		await onChange(['callers'], async () => (await theirs()) !== undefined);
		const caller = await theirs();
		const page = `/arrivals/keys/${caller.id}`;
		const stranger = await newPerson({ [await customerLike('Marlstone Veterinary')]: 'engineer' });
		expect(await answerOf(await post(page, { unit: unitId }, {}, stranger))).to.include({ type: 'failure' });
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(await (await get(page, technician)).text()).to.include(fingerprint);
		expect(await answerOf(await post(page, { unit: unitId }, {}, technician))).to.include({
			type: 'redirect'
		});
		await onChange(['runs'], () => hasEnded(unit, runId));
		expect(await runOf(runId)).to.include({ outcome: 'through' });
		expect((await eventsOf(runId)).map(({ kind }) => kind)).to.include.members([
			'bundle',
			'key',
			'call-home'
		]);
	});

	it('takes nothing from a stick that is another’s or was changed', async () => {
		const swapped = await switchedOn(['no-option'], onConsole(/no bootstrap server named/), {
			knowsMaker: false,
			prepare: async (unit, bound) => {
				const files = filesIn(await filesFor(bound, 'all'));
				const conveyed = Buffer.from(files.get('conveyed-information.cms')!);
				conveyed[conveyed.length >> 1]! ^= 1;
				unit.storage = new Map([...files, ['conveyed-information.cms', conveyed]]);
			}
		});
		expect(swapped.unit.console.join('\n')).to.match(/USB stick: what it was given: /);
		expect(swapped.unit.flash.configuration).to.equal(null);
	});

	it('has files made for it by those who may, and for it alone as long as it is on its way', async () => {
		const { unit, ...bound } = await switchedOn(['no-option'], onConsole(/no bootstrap server named/), {
			knowsMaker: false
		});
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const files = filesIn(await filesFor(bound, 'ask', technician));
		expect([...files.keys()]).to.have.members([
			'conveyed-information.cms',
			'owner-certificate.cms',
			'ownership-voucher.vcj',
			'read-me-first.txt'
		]);
		const sheet = Buffer.from(files.get('read-me-first.txt')!).toString();
		expect(sheet).to.include(unit.label.serial).and.to.include('There is no secret');
		const refused = async (kind: 'ask' | 'all', as: TestPerson, id = bound.unitId) =>
			(await post('/bundles', { unit: id, kind }, {}, as)).status;
		expect(await refused('all', technician)).to.equal(409);
		expect(await refused('ask', await newPerson({ 'Marlstone Veterinary': 'auditor' }))).to.equal(409);
		const stranger = await newPerson({ [await customerLike('Marlstone Veterinary')]: 'engineer' });
		expect(await refused('ask', stranger)).to.equal(409);
		expect(await refused('ask', technician, (await newUnit()).unitId)).to.equal(409);
		expect((await post('/bundles', { unit: 'x', kind: 'ask' })).status).to.equal(400);
	});
});
