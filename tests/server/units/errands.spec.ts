import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { expect } from 'chai';
import ssh2 from 'ssh2';
import { freePorts } from '../../../command/running/ports';
import { startApplication } from '../../../command/limen';
import { unbindUnit } from '../../../src/lib/server/binding';
import {
	answerTo,
	askErrand,
	cancelErrands,
	ConnectionBroke,
	Dialogue,
	type Errand
} from '../../../src/lib/server/connections';
import { database } from '../../../src/lib/server/database';
import { currentSettings } from '../../../src/lib/server/settings';
import { newHostKey } from '../../../standins/units/home';
import { answering, dial, dialUntilEnded, onChange, publicOf, readyToDial, type Dialling } from '../dialling';
import { ACTOR, anAdministrator, get, newPerson, refusalOf, unwalled, type TestPerson } from '../making';

/** Longer than any of this may take, however busy the machine is. */
const PATIENCE = 120_000;

const ask = (
	unitId: string,
	more: { priority?: number; waits?: number; ifConnected?: boolean; why?: 'back' } = {}
) => database().transaction((trx) => askErrand(trx, { unitId, kind: 'read', ...more }));
async function answered(errandId: string | null): Promise<Errand> {
	const errand = errandId === null ? null : await answerTo(errandId, PATIENCE);
	if (!errand) throw new Error('The errand was not asked for.');
	return errand;
}
const connectionOf = (unitId: string) => unwalled()('unit_connection').where({ unit_id: unitId }).first();
const isConnected = async (unitId: string) => (await connectionOf(unitId))?.ended_at === null;
const untilConnected = (unitId: string) => onChange(['units'], () => isConnected(unitId));
const untilLost = (unitId: string) => onChange(['units'], async () => !(await isConnected(unitId)));
const standingOf = async ({ positionId }: Dialling): Promise<string> =>
	(await unwalled()('position_standing').where({ position_id: positionId }).first('standing')).standing;

/** A unit that is online, and has just hung up. */
async function onlineUnit() {
	const unit = await readyToDial();
	expect(await dialUntilEnded(unit, unit.runId, answering(unit))).to.include({ outcome: 'through' });
	await untilLost(unit.unitId);
	return unit;
}

describe('errands', () => {
	it('know that a unit has hung up before its connection says so: nothing is held against it', async () => {
		// A client of nobody: what ssh2 says of one whose other end is gone
		const over = { client: new ssh2.Client(), isThere: () => true };
		const dialogue = new Dialogue(over, { transport: 'exec', errors: [], asks: {} }, () =>
			Promise.resolve(null)
		);
		const error = await dialogue.ask('tell configuration').catch((reason: unknown) => reason);
		expect(error).to.be.instanceOf(ConnectionBroke);
		expect(dialogue.lines.map(({ words }) => words)).to.deep.equal(['tell configuration', 'Not connected']);
	});

	it('are done by the process that holds the unit, and say word for word what was said', async () => {
		const unit = await onlineUnit();
		const call = dial(unit, answering({ ...unit, given: `${unit.given}\n# secret hunter2hunter2\n` }));
		await untilConnected(unit.unitId);
		const errand = await answered(await ask(unit.unitId));
		expect(errand).to.include({ state: 'done', kind: 'read', attempts: 1 });
		const said = await unwalled()('dialogue').where({ errand_id: errand.id }).orderBy('id');
		expect(said.map(({ speaker, words }) => [speaker, words.replace(/\d+/, 'N')])).to.deep.equal([
			['limen', 'tell configuration'],
			['unit', 'A configuration of N lines.']
		]);
		const person = await anAdministrator();
		const page = await get(`/units/${unit.unitId}/dialogue`, person).then((answer) => answer.text());
		expect(page).to.include('tell configuration').and.to.include(said[1].reading_id);
		const found = await get(`/units/${unit.unitId}/dialogue?q=no+such+words`, person);
		expect(await found.text()).to.include('Nothing that was said holds');
		const reading = await get(`/units/${unit.unitId}/readings/${said[1].reading_id}`, person);
		const read = await reading.text();
		expect(read).to.include('beacon').and.not.include('hunter2hunter2');
		const file = await get(`/units/${unit.unitId}/dialogue/file`, person).then((answer) => answer.text());
		expect(file).to.match(/limen tell configuration\n.* unit {2}A configuration of/);
		const stored = await unwalled()('reading').where({ id: said[1].reading_id }).first('content');
		expect(stored.content).to.match(/^sealed:/);
		await call.end();
	});

	it('are asked for once while they wait, urgent ones go first, and one at a time', async () => {
		const unit = await onlineUnit();
		const usual = await ask(unit.unitId);
		expect(await ask(unit.unitId)).to.equal(usual);
		const [urgent] = await unwalled()('errand')
			.insert({
				id: crypto.randomUUID(),
				unit_id: unit.unitId,
				customer_id: (await connectionOf(unit.unitId)).customer_id,
				kind: 'prove',
				priority: 99,
				deadline: new Date(Date.now() + PATIENCE)
			})
			.returning('id');
		const call = dial(unit, answering(unit));
		const [first, second] = await Promise.all([answered(urgent.id), answered(usual)]);
		expect(first.endedAt!.getTime()).to.be.at.most(second.begunAt!.getTime());
		const { customer_id } = await connectionOf(unit.unitId);
		// In one transaction: nobody takes it up in between
		const twice = await refusalOf(
			unwalled().transaction(async (trx) => {
				const id = crypto.randomUUID();
				await trx('errand').insert({
					id,
					unit_id: unit.unitId,
					customer_id,
					kind: 'read',
					deadline: new Date()
				});
				await trx('errand').where({ id }).update({ state: 'done', ended_at: new Date() });
			})
		);
		expect(twice).to.match(/does not move from waiting to done/);
		await call.end();
	});

	it('that only read are done anew when the connection breaks, and are counted', async () => {
		const unit = await onlineUnit();
		const asked = await ask(unit.unitId);
		let hangUp = () => {};
		const first = dial(unit, (command) => {
			if (command === 'tell configuration') hangUp();
			return null;
		});
		hangUp = () => void first.end();
		await first.ended;
		await untilLost(unit.unitId);
		expect(await unwalled()('errand').where({ id: asked }).first()).to.include({
			state: 'waiting',
			session: null
		});
		const second = dial(unit, answering(unit));
		expect(await answered(asked)).to.include({ state: 'done', attempts: 2 });
		await second.end();
	});

	it('whose beginning or end was lost with the database do not stand in the way of others for good', async () => {
		const unit = await onlineUnit();
		const call = dial(unit, answering(unit));
		await untilConnected(unit.unitId);
		const { session, customer_id } = await connectionOf(unit.unitId);
		// As it is left when PostgreSQL ends between a commit and its answer: under way, and nobody is at it
		const begin = async (kind: 'read' | 'restart'): Promise<string | null> => {
			const id = crypto.randomUUID();
			const row = { id, unit_id: unit.unitId, customer_id, kind, deadline: new Date(Date.now() + PATIENCE) };
			const refused = await refusalOf(
				unwalled().transaction(async (trx) => {
					await trx('errand').insert(row);
					await trx('errand')
						.where({ id })
						.update({ state: 'under way', session, attempts: 1, begun_at: new Date(Date.now() - 60_000) });
				})
			);
			if (refused) expect(refused).to.include('one_errand_at_a_time');
			return refused ? null : id;
		};
		// Limen may be asking the unit something of its own
		const lost = async (kind: 'read' | 'restart'): Promise<string> => {
			let id: string | null = null;
			await onChange(['errand-ended', 'units'], async () => (id ??= await begin(kind)) !== null);
			return id!;
		};
		const restart = await lost('restart');
		const behind = await ask(unit.unitId);
		expect(await answered(restart)).to.deep.include({
			state: 'uncertain',
			words: 'What came of it was lost with a connection to the database.'
		});
		expect(await answered(behind)).to.include({ state: 'done' });
		expect(await answered(await lost('read'))).to.include({ state: 'done', attempts: 2 });
		await call.end();
	});

	it('fail with the unit’s own words, end with their binding, and are not asked of who is away', async () => {
		const unit = await onlineUnit();
		const mute = dial(unit, () => null);
		await untilConnected(unit.unitId);
		const failed = await answered(await ask(unit.unitId));
		expect(failed).to.deep.include({
			state: 'failed',
			words: '“tell configuration” ended with status 1: “error: unknown command: tell configuration”.'
		});
		const endless = 'x'.repeat(1100 * 1024);
		await mute.end();
		await untilLost(unit.unitId);
		const loud = dial(unit, () => endless);
		await untilConnected(unit.unitId);
		expect((await answered(await ask(unit.unitId))).words).to.include('printed more than 1 MB');
		await loud.end();
		await untilLost(unit.unitId);
		expect(await ask(unit.unitId, { ifConnected: true })).to.equal(null);
		const waiting = await ask(unit.unitId);
		const unbound = await unbindUnit(unit.positionId, ACTOR);
		expect(unbound.ok).to.equal(true);
		expect(await answered(waiting)).to.include({ state: 'cancelled' });
		// Limen saw the unit at its place a moment ago, and asks of itself only now
		expect(await answered(await ask(unit.unitId, { why: 'back' }))).to.include({
			state: 'cancelled',
			words: 'Its unit is no longer at its place.'
		});
	});

	it('are over when their time is, and are nobody’s who only reads', async () => {
		const unit = await onlineUnit();
		expect(await answered(await ask(unit.unitId, { waits: 1 }))).to.include({ state: 'expired' });
		const auditor: TestPerson = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		const page = await get(`/positions/${unit.positionId}/preview?with=running`, auditor);
		expect(page.status).to.equal(200);
		expect(await unwalled()('errand').where({ asked_by: auditor.id })).to.have.lengthOf(0);
	});
});

describe('connections', () => {
	it('whose end was lost with the database are let go all the same', async () => {
		const unit = await onlineUnit();
		await unwalled()('unit_connection')
			.where({ unit_id: unit.unitId })
			.update({ ended_at: null, why_ended: null, since: new Date(Date.now() - 60_000) });
		expect(await isConnected(unit.unitId)).to.equal(true);
		await untilLost(unit.unitId);
	});

	it('make “online” a fact of now: what is lost for longer than is normal is not heard, until it is back', async () => {
		const unit = await onlineUnit();
		const call = dial(unit, answering(unit));
		await untilConnected(unit.unitId);
		expect(await standingOf(unit)).to.equal('online');
		await call.end();
		await untilLost(unit.unitId);
		expect(await standingOf(unit)).to.equal('online');
		// As if it had been lost a while ago: nothing but time brings that about
		const person = await anAdministrator();
		await unwalled()('unit_connection')
			.where({ unit_id: unit.unitId })
			.update({ ended_at: unwalled().raw(`now() - interval '20 hours'`) });
		expect(await standingOf(unit)).to.equal('not-heard');
		await onChange(['units', 'runs'], async () => (await connectionOf(unit.unitId)).told);
		const [list, today, own] = await Promise.all(
			['/units?standing=not-heard', '/', `/units/${unit.unitId}`].map((path) =>
				get(path, person).then((answer) => answer.text())
			)
		);
		expect(list).to.include(unit.serial);
		expect(today!.replaceAll('<!---->', '')).to.match(/<b[^>]*>\d+<\/b> not heard<\/a>/);
		expect(own).to.match(/has not been heard\s+for 20 h/);
		const again = dial(unit, answering(unit));
		await untilConnected(unit.unitId);
		expect(await standingOf(unit)).to.equal('online');
		const told = await unwalled()('run_event')
			.where({ run_id: unit.runId })
			.orderBy('id')
			.select('kind', 'words');
		expect(told.filter(({ kind }) => kind === 'lost').length).to.be.greaterThan(0);
		expect(told.at(-1)).to.deep.equal({ kind: 'back', words: '' });
		await again.end();
	});

	it('say on the unit’s page that it does not let us in, and no more once it does', async () => {
		const unit = await onlineUnit();
		const stranger = `ssh-ed25519 ${publicOf(newHostKey())}`;
		await dial(unit, answering(unit), { key: stranger }).ended;
		const problem = async () =>
			(await unwalled()('unit').where({ id: unit.unitId }).first('reach_problem')).reach_problem;
		await onChange(['units'], async () => (await problem()) !== null);
		expect(await problem()).to.match(/^It dialled home, but could not be talked to: .*authentication/);
		const person = await anAdministrator();
		expect(await get('/', person).then((answer) => answer.text())).to.include('cannot be reached');
		const call = dial(unit, answering(unit));
		await untilConnected(unit.unitId);
		expect(await problem()).to.equal(null);
		await call.end();
	});
});

describe('a unit that dials without end', () => {
	it('is answered so often a minute, and its page says so', async () => {
		const unit = await onlineUnit();
		const problem = async () =>
			(await unwalled()('unit').where({ id: unit.unitId }).first('reach_problem')).reach_problem;
		// The count begins anew with each minute of the clock, perhaps in between
		while ((await problem()) === null) {
			let hangUp = () => {};
			const call = dial(unit, answering(unit), { onLogin: () => hangUp() });
			hangUp = () => void call.end();
			await call.ended;
		}
		expect(await problem()).to.include(
			`it dials more than ${currentSettings().LIMEN_DIALS_A_MINUTE} times a minute`
		);
	});
});

describe('two processes on one database', () => {
	let second: ChildProcess | undefined;
	let port: number;
	before(async () => {
		const own = await freePorts();
		port = Number(own.LIMEN_CALL_HOME_PORT);
		const settings = { ...currentSettings(), LIMEN_PORT: Number(own.LIMEN_PORT) };
		second = await startApplication(settings, own);
	});
	after(() => second?.kill('SIGKILL'));

	it('are as one: a page of the first reads a unit that the second holds; killed, its units move', async () => {
		const unit = await onlineUnit();
		const away = dial(unit, answering(unit), { port });
		await untilConnected(unit.unitId);
		const holder = (await connectionOf(unit.unitId)).process_id;
		const person = await anAdministrator();
		const page = await get(`/positions/${unit.positionId}/preview?with=running`, person);
		expect(await page.text()).to.include('what runs on the unit');

		// An errand is under way when its process dies: it is done once, by the other
		let begun = () => {};
		const underWay = new Promise<void>((resolve) => (begun = resolve));
		await away.end();
		await untilLost(unit.unitId);
		// It is read of itself when it comes back: what is left of that is no errand of this test
		await database().transaction((trx) => cancelErrands(trx, unit.unitId, ''));
		// Asked for before it comes: reading it of itself is the same errand then
		const asked = await ask(unit.unitId);
		const slow = dial(
			unit,
			() => {
				begun();
				second?.kill('SIGKILL');
				return null;
			},
			{ port }
		);
		await underWay;
		await Promise.all([
			slow.ended,
			second?.exitCode === null && second.signalCode === null && once(second, 'exit')
		]);
		const moved = dial(unit, answering(unit));
		expect(await answered(asked)).to.include({ state: 'done', attempts: 2 });
		const now = await connectionOf(unit.unitId);
		expect(now.process_id).to.not.equal(holder);
		expect(now.ended_at).to.equal(null);
		await moved.end();
	});
});
