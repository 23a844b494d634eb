import { expect } from 'chai';
import { unbindUnit } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { arrivalAt } from '../../../src/lib/server/runs';
import {
	answerQuestion,
	askAnew,
	diagnosisOf,
	expectedProgressAt,
	settleDiagnosis
} from '../../../src/lib/server/watch';
import { endDiagnoses } from '../../../src/lib/server/watch/diagnosis';
import { learnNew } from '../../../src/lib/server/watch/learn';
import { makeLinks } from '../../../src/lib/server/paper/progress';
import type { Lamp } from '../../../src/core/onboarding';
import {
	answersOf,
	nextQuestion,
	seenOf,
	suspects,
	UNKNOWN,
	type Answered,
	type QuestionId
} from '../../../src/core/watch';
import { Fabric } from '../../../standins/network/fabric';
import type { Fault } from '../../../standins/units/flash';
import { newHostKey } from '../../../standins/units/home';
import { Unit } from '../../../standins/units/unit';
import { ACTOR, boundUnit, doneBy, newPerson, post, answerOf, unwalled } from '../making';
import { simulatedNetwork } from '../simulated';

let network: Awaited<ReturnType<typeof simulatedNetwork>>;
const units: Unit[] = [];
const fabric = new Fabric<Unit>(() => units, 0);

before(async () => {
	network = await simulatedNetwork(
		0.002,
		(mac) => !units.some(({ label, faults }) => label.mac === mac && faults.has('no-lease'))
	);
});
after(async () => {
	for (const unit of units) await unit.switchOff();
	network.close();
});

interface Trouble {
	readonly cause: string;
	readonly faults?: readonly Fault[];
	readonly cable?: Unit['cable'];
	readonly isUsed?: boolean;
	readonly isOff?: boolean;
	/** What it says, or where its run is, when it has come as far as it comes. */
	readonly until: (unit: Unit, run: { step: string; outcome: string; wrongCode: number }) => boolean;
}
const doing = (words: RegExp) => (unit: Unit) => words.test(unit.doing);
/** Every fault of the yard that keeps a unit from coming online and does not go away by itself. */
const TROUBLES: readonly Trouble[] = [
	{ cause: 'no-power', isOff: true, until: () => true },
	{ cause: 'no-cable', cable: 'none', until: doing(/no link on the uplink/) },
	{ cause: 'wrong-port', cable: 'lan', until: doing(/link on a LAN port/) },
	{ cause: 'line-down', faults: ['cut-fibre'], until: doing(/nothing answers/) },
	{ cause: 'no-lease', faults: ['no-lease'], until: doing(/no address/) },
	{ cause: 'no-name', faults: ['no-name'], until: doing(/could not be resolved/) },
	{ cause: 'wrong-clock', faults: ['wrong-clock'], until: doing(/clock says/) },
	{ cause: 'used-before', isUsed: true, until: doing(/anybody to dial/) },
	{ cause: 'wrong-code', faults: ['wrong-code'], until: (_, { wrongCode }) => wrongCode > 0 },
	{ cause: 'damaged-image', faults: ['bad-hash'], until: (_, { outcome }) => outcome === 'failed' },
	{ cause: 'refused-line', faults: ['rejected-line'], until: (_, { outcome }) => outcome === 'failed' },
	{ cause: 'worn-flash', faults: ['worn-flash'], until: doing(/^writing/) }
];

/** A unit of the yard with that trouble, bound, switched on, and as far as it comes. */
async function inTrouble({ faults = [], cable = 'uplink', isUsed, isOff, until }: Trouble) {
	const bound = await boundUnit('gateway', 'Marlstone Veterinary');
	let changed: () => void = () => undefined;
	const unit = new Unit(
		{ serial: bound.serial, mac: bound.mac, claimCode: bound.claimCode, model: 'OG-2', maker: 'okapira' },
		{ version: '6.8.2', configuration: isUsed ? '' : null, hostKey: newHostKey() },
		network.world,
		fabric,
		() => changed()
	);
	units.push(unit);
	unit.cable = cable;
	for (const fault of faults) unit.faults.add(fault);
	const state = async () => (await arrivalAt(bound.positionId))!;
	if (!isOff) unit.switchOn();
	for (;;) {
		const next = new Promise<void>((resolve) => (changed = resolve));
		if (until(unit, await state())) break;
		await next;
	}
	// Whoever telephones does so when nothing has moved for long
	await unwalled()('run')
		.where({ id: bound.runId })
		.update({ since: new Date(Date.now() - 30 * 86_400_000) });
	await runAs(BOOTSTRAP, learnNew);
	return { ...bound, unit, isUsed: isUsed ?? false, arrival: await state() };
}
type Troubled = Awaited<ReturnType<typeof inTrouble>>;

let lights: readonly { shows: string; state?: Lamp }[] = [];
/** What somebody who stands before it sees. */
function truth({ unit, isUsed }: Troubled, question: QuestionId): string {
	const hasLine = unit.cable === 'uplink' && !unit.faults.has('cut-fibre');
	const opens = !(['cut-fibre', 'no-lease', 'no-name'] as const).some((fault) => unit.faults.has(fault));
	switch (question) {
		case 'lamp':
			return lights.find(({ shows }) => shows === unit.light)?.state ?? 'off';
		case 'cable':
			return { uplink: 'right', lan: 'another', none: 'none' }[unit.cable];
		case 'port':
			return unit.isOn && hasLine ? 'lit' : 'dark';
		case 'others':
			return opens ? 'yes' : 'no';
		case 'used':
			return isUsed ? 'yes' : 'no';
		case 'stored':
			return unit.faults.has('wrong-clock') ? 'yes' : 'no';
		case 'label':
			return 'same';
	}
}

/** Numbers from 0 to 1 that are always the same. */
function chances(seed: number): () => number {
	let state = seed;
	return () => {
		state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
		return state / 2 ** 32;
	};
}

describe('with somebody at a unit that does not come', () => {
	it('finds what it is within four questions, though one answer in ten is wrong or not known @long', async function () {
		lights = (await unwalled()('model').where({ id: 'og-2' }).first('lights')).lights;
		const lamps = lights.flatMap(({ state }) => state ?? []);
		const chance = chances(17);
		const TRIALS = 50;
		const table = new Map<string, Map<string, number>>();
		let right = 0;
		for (const trouble of TROUBLES) {
			const troubled = await inTrouble(trouble);
			const seen = seenOf(troubled.arrival);
			const found = new Map<string, number>();
			for (let trial = 0; trial < TRIALS; trial++) {
				const answers: Answered[] = [];
				for (;;) {
					const question = nextQuestion({ seen, lamps, ended: {}, answers });
					if (!question) break;
					const all = [...answersOf(question, lamps), UNKNOWN];
					const answer = chance() < 0.1 ? all[Math.floor(chance() * all.length)]! : truth(troubled, question);
					answers.push({ question, answer });
				}
				expect(answers.length).to.be.at.most(4);
				const { id } = suspects({ seen, lamps, ended: {}, answers })[0]!.cause;
				found.set(id, (found.get(id) ?? 0) + 1);
				if (id === trouble.cause) right++;
			}
			table.set(trouble.cause, found);
			await troubled.unit.switchOff();
			await unbindUnit(troubled.positionId, ACTOR);
		}
		const share = right / (TRIALS * TROUBLES.length);
		const lines = [...table].map(
			([cause, found]) => `${cause}: ${[...found].map(([id, count]) => `${id} ${count}`).join(', ')}`
		);
		console.log(
			`what was taken for what, of ${TRIALS} each (${(100 * share).toFixed(1)} % right)\n${lines.join('\n')}`
		);
		expect(share, lines.join('\n')).to.be.at.least(0.85);
	});

	it('asks one question at a time, keeps what was answered, and says what to do', async () => {
		const { runId, unitId } = await boundUnit('gateway', 'Marlstone Veterinary');
		const first = (await diagnosisOf(runId))!;
		expect(first.question!.id).to.equal('lamp');
		expect(first.question!.answers.map(({ words }) => words)).to.include.members([
			'No light at all',
			'Only the lowest bar blinks',
			'I do not know'
		]);
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const answer = (answer: string, question = 'lamp') =>
			post(`/units/${unitId}?/answer`, { run: runId, question, answer }, {}, technician).then(answerOf);
		expect((await answer('purple')).data).to.deep.include({ problem: 'Choose one of the answers.' });
		expect((await answer('right', 'cable')).data?.problem).to.match(/Something else is asked now/);
		expect((await answer('off')).type).to.equal('success');
		const after = (await diagnosisOf(runId))!;
		expect(after.answered).to.deep.equal([{ words: 'What does its light do?', answer: 'No light at all' }]);
		expect(after.suspects[0]).to.include({ id: 'no-power' });
		const entry = await unwalled()('ledger_entry')
			.where({ subject_id: unitId, act: 'answer question' })
			.first();
		expect(entry.words).to.equal('What does its light do? No light at all.');
		expect(await askAnew(runId, ACTOR)).to.include({ ok: true });
		expect((await diagnosisOf(runId))!.answered).to.deep.equal([]);
	});

	it('is nothing for who may not bind there, nor for a unit that is well', async () => {
		const { runId } = await boundUnit('gateway', 'Marlstone Veterinary');
		const reader = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const given = { question: 'lamp', answer: 'off' } as const;
		expect(await doneBy(reader, (actor) => answerQuestion(runId, given, actor))).to.include({ ok: false });
		await unwalled()('run').where({ id: runId }).update({ step: 'calling' });
		expect(await diagnosisOf(runId)).to.equal(null);
		expect(await answerQuestion(runId, given, ACTOR)).to.include({ ok: false });
	});

	it('learns from how cases end: said by a person, or by the unit that came', async () => {
		const [told, came] = [
			await boundUnit('access-point', 'Southfold Physio'),
			await boundUnit('access-point', 'Southfold Physio')
		];
		expect(await settleDiagnosis(told.runId, 'nonsense', ACTOR)).to.include({ ok: false });
		expect(await settleDiagnosis(told.runId, 'wrong-clock', ACTOR)).to.include({ ok: true });
		await answerQuestion(came.runId, { question: 'lamp', answer: 'off' }, ACTOR);
		await unwalled()('run')
			.where({ id: came.runId })
			.update({ step: 'calling', called_at: new Date(Date.now() + 60_000) });
		await runAs(BOOTSTRAP, endDiagnoses);
		const causes = await unwalled()('diagnosis').whereIn('run_id', [told.runId, came.runId]).orderBy('cause');
		expect(causes.map(({ cause }) => cause)).to.deep.equal(['no-power', 'wrong-clock']);
	});

	it('is asked of whoever holds the card, in plain words, and of nobody without it', async () => {
		const { positionId, unitId } = await boundUnit('gateway', 'Marlstone Veterinary');
		const { site_id: id, customer_id } = await unwalled()('position').where({ id: positionId }).first();
		const [link] = await unwalled().transaction((trx) =>
			makeLinks(trx, [{ id, customerId: customer_id, appointmentAt: null }], ACTOR, Date.now())
		);
		const [box] = (await runAs({ kind: 'nobody' }, () => expectedProgressAt(link!.token, Date.now())))!
			.positions;
		expect(box!.diagnosis!.question!.id).to.equal('lamp');
		const answer = (token: string) =>
			post(`/progress/${token}?/answer`, { box: 'gw-1', question: 'lamp', answer: 'off' }).then(answerOf);
		expect((await answer(link!.token)).type).to.equal('success');
		// Once: what is asked now is another question
		expect((await answer(link!.token)).type).to.equal('failure');
		expect((await answer('x'.repeat(24))).type).to.equal('failure');
		const entry = await unwalled()('ledger_entry')
			.where({ subject_id: unitId, act: 'answer question' })
			.first();
		expect(entry.actor).to.equal('Somebody at the site');
	});
});
