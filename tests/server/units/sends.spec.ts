import { expect } from 'chai';
import { unbindUnit } from '../../../src/lib/server/binding';
import { lastServed } from '../../../src/lib/server/runs';
import { beginSend, lookBeforeSending, restartUnit, sendsOf } from '../../../src/lib/server/send';
import { answerOf, doneBy, get, newPerson, post, runOf, unwalled } from '../making';
import { answering, dialUntilEnded, onChange, readyToDial } from '../dialling';
import {
	ago,
	BECAUSE,
	behind,
	Gateway,
	onlineRouter,
	renamed,
	send,
	stateOf,
	untilLost,
	untilSend
} from '../gateway';
import { must, why } from '../profile/profile-making';

describe('a restart', () => {
	it('is told to a unit that is connected, by those who may, and it comes back by itself', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(why(await doneBy(technician, (actor) => restartUnit(unit.unitId, false, actor)))).to.match(
			/may not restart/
		);
		must(await restartUnit(unit.unitId, false, BECAUSE()));
		await untilLost(unit.unitId);
		expect(gateway.heard).to.include('restart');
		const errand = () => unwalled()('errand').where({ unit_id: unit.unitId, kind: 'restart' }).first();
		await onChange(['errand-ended'], async () => (await errand()).state === 'done');
		expect(why(await restartUnit(unit.unitId, false, BECAUSE()))).to.match(/not connected at this moment/);
		await gateway.dial();
		await send(gateway);
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		await gateway.call!.end();
	});
});

describe('a confirmed send', () => {
	it('is shown before, put to use under a timer, and confirmed once the unit came back with it', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		const look = must(await lookBeforeSending(unit.unitId, true));
		expect(look.isSame).to.equal(false);
		expect(look.running).to.not.include('new-name');
		expect(look.intended).to.include('new-name').and.not.include('a-secret-of-tests');
		const sendId = await send(gateway);
		await untilSend(unit.unitId, 'committed');
		expect(gateway.runs).to.include('new-name');
		expect(gateway.changes.isPending).to.equal(true);
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		expect(gateway.changes.isPending).to.equal(false);
		expect(must(await lookBeforeSending(unit.unitId, true)).isSame).to.equal(true);
		expect((await lastServed(unit.unitId))!.rendering).to.include('new-name');
		// A clock that was put back does not make an older one of it
		await unwalled()('send').where({ id: sendId }).update({ committed_at: new Date(0) });
		expect((await lastServed(unit.unitId))!.rendering).to.include('new-name');
		const acts = await unwalled()('ledger_entry').where({ subject_id: unit.unitId }).pluck('act');
		expect(acts).to.include.members(['send', 'send ended']);
		const { rows } = await unwalled().raw(
			`select string_agg(words, E'\n') as said from dialogue where unit_id = ?`,
			[unit.unitId]
		);
		expect(rows[0].said).to.include('stage changes').and.not.include('a-secret-of-tests');
		expect((await sendsOf(unit.unitId))[0]).to.include({ id: sendId, reason: 'for a test' });
		await gateway.call!.end();
	});

	it('is gone back from by itself when the unit does not come back in time, and that is seen', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		await send(gateway);
		await untilSend(unit.unitId, 'committed');
		// Its timer runs out while nobody hears of it
		gateway.changes.back();
		await ago(unit.unitId, 31);
		await gateway.dial();
		await untilSend(unit.unitId, 'gone back');
		expect(gateway.runs).to.not.include('new-name');
		expect((await lastServed(unit.unitId))!.rendering).to.not.include('new-name');
		expect(gateway.heard).to.not.include('stay');
		await gateway.call!.end();
	});

	it('that a unit refuses changes nothing, is told in its words, and leaves nothing loaded', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		// It repeats what it was given, the position's own secret among it
		gateway.problem = 'line 3: unknown word "secret hunter2hunter2" near a-secret-of-tests';
		await send(gateway);
		await untilSend(unit.unitId, 'refused');
		const [one] = await sendsOf(unit.unitId);
		expect(one!.send.refusal).to.include('line 3: unknown word').and.not.include('hunter2hunter2');
		const { rows } = await unwalled().raw(
			`select string_agg(words, '') as all from (select words from dialogue where unit_id = :unit
				union all select words from errand where unit_id = :unit
				union all select refusal from send where unit_id = :unit) told`,
			{ unit: unit.unitId }
		);
		expect(rows[0].all).to.include('line 3').and.not.include('a-secret-of-tests');
		expect(gateway.heard).to.include('unstage').and.not.include('switch to staged 30s');
		expect(gateway.runs).to.equal(unit.given);
		// Once it is mended it can be sent
		gateway.problem = null;
		await send(gateway, true);
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		await gateway.call!.end();
	});

	it('is not begun when what the unit runs, or what it should run, has changed since somebody looked', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		const { readingId: reading, fingerprint } = must(await lookBeforeSending(unit.unitId, true));
		const sending = { reading, fingerprint, discards: false, asked: false };
		gateway.flash.configuration += 'identity { note typed-meanwhile; }\n';
		must(await beginSend(unit.unitId, sending, BECAUSE()));
		await untilSend(unit.unitId, 'refused');
		expect((await sendsOf(unit.unitId))[0]!.send.refusal).to.match(/changed since somebody looked/);
		expect(gateway.heard).to.not.include('stage configuration');
		// What somebody else may have staged meanwhile is theirs
		expect(gateway.heard).to.not.include('unstage');
		await renamed(unit, 'another-name');
		expect(why(await beginSend(unit.unitId, sending, BECAUSE()))).to.match(/has changed since you looked/);
		expect(why(await beginSend(unit.unitId, { ...sending, reading: unit.positionId }, BECAUSE()))).to.match(
			/Look first at what it runs now/
		);
		await gateway.call!.end();
	});

	it('goes on after the connection broke while it was put to use: it is looked, not guessed', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		gateway.breaksAt = /^switch to staged/;
		await send(gateway);
		await untilLost(unit.unitId);
		expect(await stateOf(unit.unitId)).to.equal('committing');
		expect(gateway.changes.isPending).to.equal(true);
		await gateway.dial();
		// It may have been put to use after that connection was made, so it has to come back once more
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		expect(gateway.heard.filter((command) => command === 'stay')).to.have.length(1);
		await gateway.call!.end();
	});

	it('whose confirmation was not answered is confirmed again, or known by what runs after its timer', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		await send(gateway);
		await untilSend(unit.unitId, 'committed');
		gateway.breaksAt = /^stay$/;
		await gateway.dial();
		await untilLost(unit.unitId);
		expect(await stateOf(unit.unitId)).to.equal('confirming');
		// It took it; a second confirmation is refused, and only after its timer is it known to stay
		await gateway.dial();
		await onChange(['sends'], async () => (await sendsOf(unit.unitId))[0]!.send.refusal !== null);
		expect(await stateOf(unit.unitId)).to.equal('committed');
		await gateway.call!.end();
		await ago(unit.unitId, 120);
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		await gateway.call!.end();
	});

	it('is let go when its unit is taken from its position', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		await send(gateway);
		await untilSend(unit.unitId, 'committed');
		must(await unbindUnit(unit.positionId, BECAUSE()));
		await untilSend(unit.unitId, 'let go');
	});

	it('is for those who may, one at a time, and for units that are online', async () => {
		const gateway = await behind();
		const { unit } = gateway;
		const { readingId: reading, fingerprint } = must(await lookBeforeSending(unit.unitId, true));
		const sending = { reading, fingerprint, discards: false, asked: false };
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(
			why(await doneBy(technician, (actor) => beginSend(unit.unitId, sending, { ...actor, reason: 'x' })))
		).to.match(/You may not send/);
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		expect((await get(`/units/${unit.unitId}/send`, stranger)).status).to.equal(404);
		const reader = await newPerson({ 'Marlstone Veterinary': 'reader' });
		expect((await get(`/units/${unit.unitId}/send`, reader)).status).to.be.oneOf([403, 404]);
		const page = await get(`/units/${unit.unitId}/send`, technician).then((answer) => answer.text());
		expect(page).to.include('What this changes').and.not.include('Send to this unit');
		const body = { reading, fingerprint };
		const refused = await answerOf(await post(`/units/${unit.unitId}/send?/send`, body, {}, technician));
		expect(refused).to.include({ type: 'failure', status: 409 });
		await send(gateway);
		expect(why(await beginSend(unit.unitId, sending, BECAUSE()))).to.match(/under way already/);
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		await gateway.call!.end();
		const fresh = await readyToDial();
		expect(why(await beginSend(fresh.unitId, sending, BECAUSE()))).to.match(/Look first/);
	});

	it('of a unit that failed its proof for what it ran has it proven anew', async () => {
		const unit = await readyToDial();
		const failed = await dialUntilEnded(
			unit,
			unit.runId,
			answering({ ...unit, given: unit.given.replace(/name \S+;/, 'name somebody-typed;') })
		);
		expect(failed).to.include({ outcome: 'failed', failure_kind: 'proof' });
		const gateway = new Gateway(unit);
		gateway.flash.configuration = unit.given.replace(/name \S+;/, 'name somebody-typed;');
		await gateway.dial();
		await send(gateway);
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilSend(unit.unitId, 'confirmed');
		const next = async () =>
			(await unwalled()('binding').where({ unit_id: unit.unitId }).first('run_id')).run_id as string;
		await onChange(['runs'], async () => (await runOf(await next())).outcome === 'through');
		await gateway.call!.end();
	});

	it('says only what differs where the maker has words for it, and shows it before', async () => {
		const router = await onlineRouter();
		const { unit } = router;
		const { values } = await unwalled()('position').where({ id: unit.positionId }).first('values');
		await renamed(unit, 'router-renamed');
		const look = must(await lookBeforeSending(unit.unitId, true));
		expect(look.commands).to.deep.equal([`swap hostname ${values.hostname} => hostname router-renamed`]);
		expect(look.whyWhole).to.equal(null);
		await send(router);
		await untilSend(unit.unitId, 'committed');
		expect(router.heard).to.include('edit loaded').and.not.include('load configuration');
		await router.dial();
		await untilSend(unit.unitId, 'confirmed');
		const said = await unwalled()('dialogue')
			.where({ unit_id: unit.unitId, speaker: 'limen' })
			.pluck('words');
		expect(said).to.include(`edit loaded\nswap hostname ${values.hostname} => hostname router-renamed\n`);
		expect(router.runs).to.include('hostname router-renamed');
		expect(must(await lookBeforeSending(unit.unitId, true)).isSame).to.equal(true);
		await router.call!.end();
	});

	it('loads the whole where single commands could not be understood, and says why', async () => {
		const router = await onlineRouter();
		router.flash.configuration = `${router.runs}filter doubled\n  accept a\n  accept a\n`;
		await renamed(router.unit, 'router-whole');
		const look = must(await lookBeforeSending(router.unit.unitId, true));
		expect(look.commands).to.equal(null);
		expect(look.whyWhole).to.match(/same words/);
		await send(router);
		await untilSend(router.unit.unitId, 'committed');
		expect(router.heard).to.include('load configuration').and.not.include('edit loaded');
		await router.dial();
		await untilSend(router.unit.unitId, 'confirmed');
		await router.call!.end();
	});
});
