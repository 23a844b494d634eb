import { expect } from 'chai';
import { retryRun } from '../../../src/lib/server/binding';
import { callHomeKey } from '../../../src/lib/server/keys';
import { currentSettings } from '../../../src/lib/server/settings';
import { dialHome, newHostKey } from '../../../standins/units/home';
import { answering, dialUntilEnded, readyToDial } from '../dialling';
import { ACTOR, unwalled } from '../making';

describe('call home', () => {
	it('proves a unit that runs what was intended, in whatever order it prints it', async () => {
		const unit = await readyToDial();
		const blocks = unit.given
			.match(/^\S[^{\n]*\{[\s\S]*?^\}|^\S.*$/gm)!
			.filter((block) => !block.startsWith('#'));
		const run = await dialUntilEnded(
			unit,
			unit.runId,
			answering({ ...unit, given: [...blocks].reverse().join('\n') })
		);
		expect(run).to.include({ step: 'online', outcome: 'through' });
		const stored = await unwalled()('unit').where({ id: unit.unitId }).first();
		expect(stored.reported_version).to.equal('7.0.3');
		expect(stored.dialled_home_at).to.be.instanceOf(Date);
	});

	it('fails the proof of one that differs, says where, and proves it again after it was put right', async () => {
		const unit = await readyToDial();
		const drifted = unit.given.replace('lease;', 'address 192.0.2.1/24;');
		const failed = await dialUntilEnded(unit, unit.runId, answering({ ...unit, given: drifted }, '6.8.2'));
		expect(failed).to.include({ step: 'proof', outcome: 'failed', failure_kind: 'proof' });
		expect(failed.failure_words)
			.to.match(/version 6\.8\.2, not 7\.0\.3/)
			.and.match(/wire up0: “lease” is missing/)
			.and.match(/address 192\.0\.2\.1\/24/);
		const act = await retryRun(unit.positionId, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		expect(await dialUntilEnded(unit, act.done.runId, answering(unit))).to.include({
			outcome: 'through'
		});
	});

	it('asks what the profile’s checks ask, and quotes what does not hold', async () => {
		const unit = await readyToDial();
		const failed = await dialUntilEnded(unit, unit.runId, answering(unit, '7.0.3', false));
		expect(failed).to.include({ step: 'proof', outcome: 'failed', failure_kind: 'proof' });
		expect(failed.failure_words).to.equal(
			'“The name server answers” does not hold. The unit was asked “tell reach 192.0.2.53” and said “reach 192.0.2.53 no;”; that should have “yes”.'
		);
		const act = await retryRun(unit.positionId, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		await dialUntilEnded(unit, act.done.runId, answering(unit));
		const said = await unwalled()('run_event')
			.where({ run_id: act.done.runId, kind: 'proof' })
			.first('words');
		expect(said.words).to.contain('Checks hold: The name server answers.');
	});

	it('fails the proof of another unit that has taken its place', async () => {
		const unit = await readyToDial();
		const run = await dialUntilEnded(unit, unit.runId, answering({ ...unit, serial: 'OG2K0000000X' }));
		expect(run.failure_words).to.equal(
			`Another unit has taken its place: it says that its serial number is OG2K0000000X, and ${unit.serial} is bound here.`
		);
	});

	it('fails the proof of one that refuses its commands', async () => {
		const unit = await readyToDial();
		const run = await dialUntilEnded(unit, unit.runId, () => null);
		expect(run.failure_words).to.match(/could not be read over SSH.*status 1/);
	});

	it('closes on a key that nobody reported, and notes it at the door', async () => {
		const before = await unwalled()('caller').where({ reason: 'unknown-key' });
		let answered = false;
		const home = {
			host: '127.0.0.1',
			port: currentSettings().LIMEN_CALL_HOME_PORT,
			user: 'limen',
			key: callHomeKey().public,
			accounts: []
		};
		await dialHome(
			home,
			newHostKey(),
			() => null,
			() => (answered = true),
			new AbortController().signal
		);
		expect(answered).to.equal(false);
		expect(await unwalled()('caller').where({ reason: 'unknown-key' })).to.have.lengthOf(before.length + 1);
	});
});
