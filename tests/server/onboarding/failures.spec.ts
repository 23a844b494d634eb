import { expect } from 'chai';
import { correctClaimCode } from '../../../src/lib/server/intake';
import { retryRun } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { record } from '../../../src/lib/server/runs';
import { failureGroups, outcomesOfBatch, unitsOfGroup, whatHelped } from '../../../src/lib/server/watch';
import { noteOutcomes, signFailures } from '../../../src/lib/server/watch/failures';
import {
	ACTOR,
	answerOf,
	boundUnit,
	customerId,
	doneBy,
	get,
	invoke,
	newPerson,
	post,
	report,
	runOf,
	unwalled
} from '../making';
import { onChange } from '../dialling';

type Bound = Awaited<ReturnType<typeof boundUnit>>;
const customer = 'Southfold Physio';
const units = (count: number): Promise<Bound[]> =>
	Promise.all(Array.from({ length: count }, () => boundUnit('gateway', customer)));

/** A unit that takes what it is given, and refuses it with these words. */
async function fails(unit: Bound, type: string, words: string): Promise<void> {
	expect((await invoke('get-bootstrapping-data', unit)).status).to.equal(200);
	await report(unit, 'bootstrap-initiated');
	await report(unit, type, { message: words });
}
const signed = async (unit: Bound): Promise<string> => {
	await runAs(BOOTSTRAP, signFailures);
	const { run_id } = await unwalled()('binding').where({ position_id: unit.positionId }).first('run_id');
	return (await runOf(run_id)).signature_id;
};
const signatureById = (id: string) => unwalled()('failure_signature').where({ id }).first();
let words = 0;
/** Words that no other test says. */
const own = (): string => `odd ${'abcdefghij'[words++]!.repeat(9)} happened`;

describe('failures that are the same', () => {
	it('are gathered by what the units said, without what is their own', async () => {
		const said = own();
		const [one, other, third] = await units(3);
		await fails(one!, 'config-error', `${one!.serial} at 10.1.2.3: ${said} 17 times`);
		await fails(other!, 'config-error', `${other!.serial} at 192.0.2.9: ${said} 4 times`);
		await fails(third!, 'pre-script-error', `${said} 4 times`);
		expect(await signed(one!))
			.to.equal(await signed(other!))
			.and.to.not.equal(await signed(third!));
		const group = (await failureGroups(await customerId(customer))).find(({ words }) => words.includes(said));
		expect(group).to.deep.include({ units: 2, sites: 2, step: 'configuration', line: null });
		expect(await unitsOfGroup(group!.id, null)).to.have.members([one!.unitId, other!.unitId]);
	});

	it('are known by the line of the part that a refused line came from, wherever that stood', async () => {
		const [one, other] = await units(2);
		// The third line of what each was given
		for (const unit of [one!, other!]) await fails(unit, 'config-error', 'line 3: unknown word “x”');
		const signature = await signatureById(await signed(one!));
		expect(await signed(other!)).to.equal(signature.id);
		expect(signature.line).to.be.greaterThan(0);
		expect(signature.part_id).to.not.equal(null);
		const group = (await failureGroups(null)).find(({ id }) => id === signature.id)!;
		expect(group.line).to.include({ number: signature.line, partId: signature.part_id });
		expect(group.line!.name).to.be.a('string').and.not.equal('');
	});

	it('are seen by who sees a run that failed so, and by nobody else', async () => {
		const said = own();
		const [one, other] = await units(2);
		for (const unit of [one!, other!]) await fails(unit, 'config-error', said);
		const id = await signed(one!);
		await signed(other!);
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const seen = (who: typeof stranger) =>
			doneBy(who, async () => (await failureGroups(null)).some((group) => group.id === id));
		expect(await seen(stranger)).to.equal(false);
		expect(await seen(await newPerson({ [customer]: 'reader' }))).to.equal(true);
		expect(await get('/arrivals', stranger).then((page) => page.text())).to.not.include(said);
	});

	it('stay few however many words a unit finds', async () => {
		const [unit] = await units(1);
		const made = Array.from({ length: 400 }, (_, index) => ({
			id: crypto.randomUUID(),
			key: `test ${index} ${unit!.serial}`,
			step: 'configuration',
			kind: 'post-script-error',
			words: 'x'
		}));
		await unwalled()('failure_signature').insert(made);
		await fails(unit!, 'post-script-error', own());
		expect(await signatureById(await signed(unit!))).to.include({ words: 'other words' });
		await unwalled()('failure_signature').whereLike('key', `test %${unit!.serial}`).delete();
	});

	it('are let try again together, as long work, by who may', async () => {
		const said = own();
		const all = await units(3);
		for (const unit of all) await fails(unit, 'config-error', said);
		const id = await signed(all[0]!);
		const reader = await newPerson({ [customer]: 'reader' });
		expect((await post('/arrivals?/retryGroup', { group: id }, {}, reader).then(answerOf)).type).to.equal(
			'failure'
		);
		const technician = await newPerson({ [customer]: 'technician' });
		const answer = await post('/arrivals?/retryGroup', { group: id }, {}, technician).then(answerOf);
		expect(answer.data?.said).to.match(/^3 units may try again/);
		const begun = () => unwalled()('long_work').where({ person_id: technician.id }).first();
		await onChange(['work'], async () => (await begun())?.state === 'done');
		for (const { unitId } of all)
			expect(await unwalled()('run').where({ unit_id: unitId }).orderBy('number')).to.have.lengthOf(2);
	});
});

describe('what helped', () => {
	it('is learnt from what was done between a failure and the next try, with its counts', async () => {
		const said = own();
		const all = await units(4);
		for (const unit of all) await fails(unit, 'config-error', said);
		const id = await signed(all[0]!);
		for (const unit of all) await signed(unit);
		const next = async (unit: Bound, comes: boolean) => {
			const act = await retryRun(unit.positionId, ACTOR);
			if (!act.ok) throw new Error(act.problem);
			const { runId } = act.done;
			await record({ runId, event: { kind: 'call-home', at: Date.now() }, words: '' });
			await record({
				runId,
				event: { kind: 'proof', at: Date.now(), failed: comes ? null : 'no' },
				words: ''
			});
		};
		await next(all[0]!, true);
		await next(all[1]!, false);
		await correctClaimCode(all[2]!.unitId, all[2]!.claimCode, ACTOR);
		await next(all[2]!, true);
		await runAs(BOOTSTRAP, noteOutcomes);
		await runAs(BOOTSTRAP, noteOutcomes);
		const helped = (await whatHelped([id])).get(id)!;
		expect(helped).to.have.deep.members([
			{ acts: ['correct claim code'], tried: 1, helped: 1 },
			{ acts: [], tried: 2, helped: 1 }
		]);
		expect(helped[0]!.acts).to.deep.equal(['correct claim code']);
		const page = await get(`/units/${all[3]!.unitId}`, await newPerson({ [customer]: 'reader' }));
		expect(await page.text()).to.include(
			'The claim code was corrected, then it was let try again: 1 of 1 came through.'
		);
	});
});

describe('what became of a batch', () => {
	it('is told with the step at fault, and leads to the units', async () => {
		const [unit] = await units(1);
		const { batch_id } = await unwalled()('unit').where({ id: unit!.unitId }).first('batch_id');
		expect(await outcomesOfBatch(batch_id)).to.deep.equal([{ standing: 'waiting', step: null, count: 1 }]);
		await fails(unit!, 'boot-image-error', own());
		expect(await outcomesOfBatch(batch_id)).to.deep.equal([
			{ standing: 'stuck', step: 'firmware', count: 1 }
		]);
		const reader = await newPerson({ [customer]: 'reader' });
		expect(await get(`/intake/${batch_id}`, reader).then((page) => page.text())).to.include(
			'1 failed at firmware'
		);
		const list = (query: string) => get(`/units/file?${query}`, reader).then((file) => file.text());
		expect(await list(`batch=${batch_id}&standing=stuck&step=firmware`)).to.include(unit!.serial);
		expect(await list(`batch=${batch_id}&standing=stuck&step=calling`)).to.not.include(unit!.serial);
		expect(await list('batch=nonsense')).to.not.include(unit!.serial);
	});
});
