import type { Server } from 'node:http';
import { expect } from 'chai';
import { REGISTRY, runAs } from '../../../src/lib/server/database';
import {
	askAgainFor,
	askNext,
	batchById,
	claimBatch,
	dropRefused,
	dropRow,
	giveUp,
	registryWaits,
	type RegistryPlace
} from '../../../src/lib/server/intake';
import { bindUnit, returnToService, swapUnit } from '../../../src/lib/server/binding';
import type { Registry, KnownUnit } from '../../../standins/registry/registry';
import { knownTo as known, openRegistry } from './maker-registry';
import {
	ACTOR,
	answerOf,
	customerId,
	get,
	lineOf,
	newLabel,
	newPerson,
	openPosition,
	post,
	refusalOf,
	type TestLabel,
	unwalled
} from '../making';

const ACCOUNT = 'limen';

describe('a maker’s registry is asked', () => {
	let server: Server;
	let registry: Registry;
	let place: RegistryPlace;
	let close: () => Promise<void>;
	let customer: string;

	async function open(...units: readonly KnownUnit[]) {
		({ registry, server, place, close } = await openRegistry(units));
	}
	before(async () => {
		customer = await customerId();
		await unwalled()('claim_request').delete();
	});
	afterEach(async () => {
		await close();
		await unwalled()('registry_state').delete();
		await unwalled()('claim_request').delete();
	});

	const claim = async (text: string) => {
		const act = await claimBatch(customer, text, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		return act.done;
	};
	const unitOf = ({ serial }: TestLabel) => unwalled()('unit').where({ serial }).first();
	/** As if the time that a registry is left alone for had passed: nothing but time brings that about. */
	async function letPausesPass() {
		await unwalled()('registry_state').update({ paused_until: null });
		await unwalled()('claim_request').update({ next_at: unwalled().fn.now() });
	}

	it('for each unit, once; what it says of each is told', async () => {
		const [good, elsewhere, unknown, misread] = [newLabel(), newLabel(), newLabel(), newLabel()];
		await open(known(good), known(elsewhere, 'northgate'), known({ ...misread, claimCode: 'OTHERCODE' }));
		const { batchId } = await claim([good, elsewhere, unknown, misread].map(lineOf).join('\n'));
		expect((await unitOf(good)).ownership, 'not ours before it says so').to.equal('asked');
		const [request] = await unwalled()('claim_request').where({ unit_id: (await unitOf(good)).id });
		expect(request.claim_code, 'sealed while it waits').not.to.include(good.claimCode);

		expect(await askNext(place)).to.equal(true);
		expect(registry.requests).to.equal(1);
		expect(registry.ownerOf(good.serial)).to.equal(ACCOUNT);
		expect(registry.sentTo(good.serial).uri).to.match(/^https:/);
		expect(registry.ownerOf(elsewhere.serial)).to.equal('northgate');
		expect((await unitOf(good)).ownership).to.equal('confirmed');
		const batch = await batchById(batchId, true);
		expect(
			Object.fromEntries(batch!.lines.map(({ serial, verdict, reason }) => [serial, [verdict, reason]]))
		).to.deep.equal({
			[good.serial]: ['claimed', ''],
			[elsewhere.serial]: [
				'registry-refused',
				'Okapira’s registry says it belongs to another account. Its owner must release it first.'
			],
			[unknown.serial]: [
				'registry-refused',
				'Okapira’s registry does not know this serial number. Look at the label again.'
			],
			[misread.serial]: [
				'registry-refused',
				'Okapira’s registry refuses the claim code. Look at the label again.'
			]
		});
		expect(await unwalled()('claim_request').select('unit_id'), 'no code is kept longer').to.deep.equal([]);
		expect(await askNext(place), 'nothing is asked twice').to.equal(false);
		const again = await claim([good, unknown].map(lineOf).join('\n'));
		expect(again.counts).to.deep.include({ claimed: 0, 'already-ours': 2 });
		expect((await unwalled()('claim_request').select('unit_id')).length, 'only what it refused').to.equal(1);
	});

	it('again with the right code; what it refused is not bound, and can be dropped', async () => {
		const [misread, unknown] = [newLabel(), newLabel()];
		await open(known({ ...misread, claimCode: 'RIGHTCODE1' }));
		await claim([misread, unknown].map(lineOf).join('\n'));
		await askNext(place);
		const [one, other] = [await unitOf(misread), await unitOf(unknown)];
		const bound = await bindUnit(await openPosition(), one.id, ACTOR);
		expect(bound.ok || bound.problem).to.match(/is not ours to bind.*refuses the claim code/);

		expect((await askAgainFor(one.id, 'right-code-1', ACTOR)).ok).to.equal(true);
		await askNext(place);
		expect((await unitOf(misread)).ownership).to.equal('confirmed');
		expect((await bindUnit(await openPosition(), one.id, ACTOR)).ok).to.equal(true);
		const late = await askAgainFor(one.id, 'right-code-1', ACTOR);
		expect(late.ok).to.equal(false);

		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		for (const action of ['again', 'drop'])
			expect(
				(
					await answerOf(
						await post(`/intake?/${action}`, { unit: other.id, code: 'RIGHTCODE1' }, {}, stranger)
					)
				).status
			).to.equal(409);
		expect((await dropRefused(other.id, ACTOR)).ok).to.equal(true);
		expect(await unitOf(unknown)).to.equal(undefined);
	});

	it('with growing pauses while it is down; nothing is lost or doubled, and what waits says why', async () => {
		const labels = Array.from({ length: 5 }, () => newLabel());
		await open(...labels.map((label) => known(label)));
		registry.faults.add('down');
		await claim(labels.map(lineOf).join('\n'));
		const pauses: number[] = [];
		for (let attempt = 1; attempt <= 4; attempt++) {
			expect(await askNext(place)).to.equal(false);
			expect(await askNext(place), 'left alone').to.equal(false);
			expect(registry.requests).to.equal(attempt);
			const { rows } = await unwalled().raw(
				'select extract(epoch from paused_until - now())::float8 as left from registry_state'
			);
			pauses.push(rows[0].left);
			await letPausesPass();
		}
		expect(pauses.every((pause, index) => index === 0 || pause > pauses[index - 1]!)).to.equal(true);
		// Units can be bound meanwhile
		expect((await bindUnit(await openPosition(), (await unitOf(labels[0]!)).id, ACTOR)).ok).to.equal(true);
		const [wait] = await registryWaits(customer);
		expect(wait).to.deep.include({ makerName: 'Okapira', count: 5, problem: 'It cannot be reached.' });
		expect(await (await get('/intake')).text()).to.include('It cannot be reached.');

		registry.faults.clear();
		expect(await askNext(place)).to.equal(true);
		expect(await registryWaits(customer)).to.deep.equal([]);
		for (const label of labels) expect((await unitOf(label)).ownership).to.equal('confirmed');
	});

	it('as seldom as it wants, and again where it has not decided or was cut off in the middle', async () => {
		const label = newLabel();
		await open(known(label));
		await claim(lineOf(label));
		registry.faults.add('rate-limiting');
		expect(await askNext(place)).to.equal(false);
		const [limited] = await registryWaits(customer);
		expect(limited!.problem).to.equal('It wants fewer requests.');
		registry.faults.clear();
		registry.faults.add('settling');
		await letPausesPass();
		expect(await askNext(place)).to.equal(true);
		expect((await unitOf(label)).ownership).to.equal('asked');
		expect((await registryWaits(customer))[0]!.problem).to.equal('It has not decided yet.');
		expect(await askNext(place), 'not at once').to.equal(false);
		// A process that leased it and died: the lease is over some time
		await runAs(REGISTRY, () =>
			unwalled()('claim_request').update({ next_at: new Date(Date.now() + 120_000) })
		);
		expect(await askNext(place)).to.equal(false);
		await letPausesPass();
		await askNext(place);
		await letPausesPass();
		await askNext(place);
		expect((await unitOf(label)).ownership).to.equal('confirmed');
	});

	it('is never believed when it answers nonsense', async () => {
		const label = newLabel();
		await open();
		server.removeAllListeners('request');
		const answers = [
			'',
			'{',
			'[]',
			'{"units":[{"serial":"x","result":"yes"}]}',
			'{"units":"none"}',
			'x'.repeat(300_000),
			'x'.repeat(30_000_000)
		];
		server.on('request', (_request, response) => response.end(answers.shift()));
		await claim(lineOf(label));
		while (answers.length > 0) {
			expect(await askNext(place)).to.equal(false);
			expect((await registryWaits(customer))[0]!.problem).to.match(
				/^(It answers what cannot be understood|Its answer is longer than any that is wanted)\.$/
			);
			await letPausesPass();
		}
		server.removeAllListeners('request');
		server.on('request', (_request, response) =>
			response.end(JSON.stringify({ units: [{ serial: newLabel().serial, result: 'claimed' }] }))
		);
		expect(await askNext(place), 'an answer about another unit says nothing of this one').to.equal(true);
		expect((await unitOf(label)).ownership).to.equal('asked');
	});
});

describe('a unit that was swapped out', () => {
	let close: () => Promise<void>;
	afterEach(async () => {
		await close();
		await unwalled()('registry_state').delete();
		await unwalled()('claim_request').delete();
	});

	it('is given back at its maker’s registry, stays known, and comes back when it is taken in again', async () => {
		const [old, next] = [newLabel(), newLabel()];
		const { registry, place, ...opened } = await openRegistry([known(old), known(next)]);
		({ close } = opened);
		const customer = await customerId();
		const act = await claimBatch(customer, [old, next].map(lineOf).join('\n'), ACTOR);
		if (!act.ok) throw new Error(act.problem);
		expect(await askNext(place)).to.equal(true);
		expect(registry.ownerOf(old.serial)).to.equal(ACCOUNT);
		const [oldId, nextId] = act.done.rows.map(({ unitId }) => unitId!) as [string, string];
		const unit = () => unwalled()('unit').where({ id: oldId }).first('ownership', 'out_of_service_at');
		expect(await giveUp(oldId, ACTOR), 'still in service').to.include({ ok: false });
		const position = await openPosition();
		await bindUnit(position, oldId, ACTOR);
		expect(await swapUnit(position, nextId, { ...ACTOR, reason: 'it smokes' })).to.include({ ok: true });

		expect(await giveUp(oldId, ACTOR)).to.include({ ok: true });
		expect(await returnToService(oldId, ACTOR), 'thought better of').to.include({ ok: true });
		expect(await askNext(place), 'nothing is asked').to.equal(false);
		await unwalled()('unit')
			.where({ id: oldId })
			.update({ out_of_service_at: new Date(), out_of_service_why: 'it smokes', replaced_by: nextId });

		registry.faults.add('failing');
		expect(await giveUp(oldId, ACTOR)).to.include({ ok: true });
		expect(await askNext(place)).to.equal(false);
		expect((await unit()).ownership, 'until its maker agrees it is ours').to.equal('confirmed');
		registry.faults.clear();
		await unwalled()('registry_state').delete();
		expect(await askNext(place)).to.equal(true);
		expect(registry.ownerOf(old.serial)).to.equal(null);
		expect((await unit()).ownership).to.equal('released');
		expect(await giveUp(oldId, ACTOR)).to.include({ ok: false });
		expect(await returnToService(oldId, ACTOR)).to.include({ ok: false });
		expect(
			await refusalOf(
				unwalled()('unit')
					.where({ id: oldId })
					.update({ out_of_service_at: null, out_of_service_why: null, replaced_by: null })
			)
		).to.match(/released_is_out_of_service/);

		const again = await claimBatch(customer, lineOf(old), ACTOR);
		if (!again.ok) throw new Error(again.problem);
		expect(await unit()).to.deep.equal({ ownership: 'asked', out_of_service_at: null });
		expect(await askNext(place)).to.equal(true);
		expect((await unit()).ownership).to.equal('confirmed');
		expect(registry.ownerOf(old.serial)).to.equal(ACCOUNT);
	});
});

describe('rows that could not be taken in', () => {
	it('stay in their batch until one of two people mends or drops them', async () => {
		const customer = await customerId();
		const [one, other] = [newLabel(), newLabel()];
		const wrong = `${one.serial.slice(0, -1)}?,${one.mac},${one.claimCode}`;
		const act = await claimBatch(
			customer,
			`serial,mac,claim code\n${wrong}\n${lineOf(other)}\nXQ77310042ZZ,${newLabel().mac},ABCDEFGH`,
			ACTOR
		);
		if (!act.ok) throw new Error(act.problem);
		const { batchId } = act.done;
		const stored = await unwalled()('batch_row').where({ batch_id: batchId }).orderBy('ordinal');
		expect(stored.map(({ verdict }) => verdict)).to.deep.equal(['malformed', 'unknown-model']);
		expect(JSON.stringify(stored)).not.to.include(one.claimCode);
		const before = await batchById(batchId, true);
		expect(before!.lines[0]!.raw).to.equal(wrong);
		expect((await batchById(batchId, false))!.lines[0]!.raw).to.equal(null);

		const mend = (text: string) => post(`/intake/${batchId}?/mend`, { row: '1', text });
		expect((await answerOf(await mend(lineOf(one)))).data!.said).to.equal(`${one.serial} is taken in.`);
		expect((await answerOf(await mend(lineOf(one)))).data!.problem).to.match(
			/Somebody else has mended or dropped/
		);
		const dropped = await dropRow(customer, batchId, 3, ACTOR);
		expect(dropped.ok).to.equal(true);
		const after = await batchById(batchId, true);
		expect(after!.lines.filter(({ raw }) => raw !== null)).to.deep.equal([]);
		expect(
			await unwalled()('unit').where({ batch_id: batchId }).orderBy('line').pluck('serial')
		).to.have.members([one.serial, other.serial]);
	});
});
