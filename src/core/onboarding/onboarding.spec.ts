import { NO_RULES } from '../config';
import { expect } from 'chai';
import fc from 'fast-check';
import { PROGRESS_TYPES, type ProgressType } from '../bootstrap';
import {
	adviceFor, advance, beginRun, canMove, judgeProof, rankOf, remedyFor, RUN_STEPS, standingOf, standingWords, STEP_MOVES,
	type Failure, type RunEvent, type RunState
} from '.'; // prettier-ignore

const at = 1000;
const call: RunEvent = { kind: 'call', at };
const said = (type: ProgressType, words = ''): RunEvent => ({ kind: 'report', at, type, words });
const proof = (failed: string | null): RunEvent => ({ kind: 'proof', at, failed });
const play = (events: readonly RunEvent[], from: RunState = beginRun(0)) => events.reduce(advance, from);
const WITHOUT_FIRMWARE: ProgressType[] = [
	'bootstrap-initiated',
	'parsing-initiated',
	'parsing-complete',
	'config-initiated',
	'config-complete',
	'bootstrap-complete'
];

const anyEvent: fc.Arbitrary<RunEvent> = fc.oneof(
	fc.record({
		kind: fc.constantFrom(
			'call' as const,
			'redirect' as const,
			'bundle' as const,
			'key' as const,
			'call-home' as const
		),
		at: fc.nat()
	}),
	fc.record({
		kind: fc.constant('report' as const),
		at: fc.nat(),
		type: fc.constantFrom(...PROGRESS_TYPES),
		words: fc.string()
	}),
	fc.record({ kind: fc.constant('withheld' as const), at: fc.nat(), words: fc.string() }),
	fc.record({ kind: fc.constant('proof' as const), at: fc.nat(), failed: fc.option(fc.string()) })
);

describe('a run', () => {
	it('goes from the door to online, with a firmware upgrade on the way', () => {
		const upgrading = play([
			call,
			said('bootstrap-initiated'),
			said('boot-image-mismatch'),
			said('boot-image-installed-rebooting')
		]);
		expect(upgrading).to.deep.include({ step: 'firmware', restartExpected: true });
		const restarted = play([call, said('bootstrap-initiated'), said('parsing-complete')], upgrading);
		expect(restarted).to.deep.include({ step: 'firmware', restartExpected: false });
		const proving = play(
			[said('config-initiated'), said('config-complete'), said('bootstrap-complete')],
			restarted
		);
		expect(proving).to.deep.include({ step: 'proof', outcome: 'open' });
		expect(play([proof(null)], proving)).to.deep.include({ step: 'online', outcome: 'through' });
	});

	it('ends at the same step in whatever order the reports of an attempt arrive, repeated or not', () => {
		const orders = fc.shuffledSubarray([...WITHOUT_FIRMWARE, ...WITHOUT_FIRMWARE], { minLength: 12 });
		fc.assert(
			fc.property(orders, (order) => {
				expect(play([call, ...order.map((type) => said(type))])).to.deep.include({
					step: 'proof',
					outcome: 'open'
				});
			})
		);
	});

	it('moves only as the table of moves says, whatever happens, and is online only by proof', () => {
		fc.assert(
			fc.property(fc.array(anyEvent, { maxLength: 40 }), (events) => {
				let state = beginRun(0);
				for (const event of events) {
					const next = advance(state, event);
					expect(canMove(state.step, next.step)).to.equal(true);
					if (state.outcome !== 'open') expect(next).to.equal(state);
					if (next.step === 'online' && state.step !== 'online')
						expect(event).to.deep.include({ kind: 'proof', failed: null });
					expect(next.outcome === 'failed').to.equal(next.failure !== null);
					if (event.kind === 'report' && next.step !== state.step)
						expect(rankOf(next.step)).to.be.greaterThan(rankOf(state.step));
					expect(advance(next, event).step).to.equal(next.step);
					state = next;
				}
			}),
			{ numRuns: 500 }
		);
	});

	it('keeps the first failure and the unit’s own words', () => {
		const failed = play([
			call,
			said('config-initiated'),
			said('config-error', 'line 7: what?'),
			said('bootstrap-error', 'gave up'),
			said('bootstrap-complete')
		]);
		expect(failed).to.deep.include({ outcome: 'failed', step: 'configuration' });
		expect(failed.failure).to.deep.equal({
			step: 'configuration',
			kind: 'config-error',
			words: 'line 7: what?'
		});
	});

	it('takes late reports of an earlier attempt for what they are', () => {
		expect(play([said('config-error', 'old'), said('bootstrap-complete')])).to.deep.equal(beginRun(0));
		expect(play([said('bootstrap-initiated')]).step).to.equal('identity');
	});

	it('begins again when the unit drops out and calls once more', () => {
		expect(play([call, said('config-initiated'), call]).step).to.equal('calling');
		expect(play([call, said('bootstrap-complete'), call]).step).to.equal('calling');
	});

	it('is proved again by a unit that is known and dials home', () => {
		expect(play([{ kind: 'call-home', at }, proof('differs')])).to.deep.include({
			step: 'proof',
			outcome: 'failed'
		});
	});

	it('reaches every step, and nothing leads out of online', () => {
		for (const step of RUN_STEPS.slice(1)) expect(STEP_MOVES.some(([, to]) => to === step)).to.equal(true);
		expect(STEP_MOVES.some(([from]) => from === 'online')).to.equal(false);
	});
});

describe('how a run stands', () => {
	it('is late and stalled past its limits, or without what it waits for, never by waiting for power', () => {
		const firmware = { ...beginRun(0), step: 'firmware' as const };
		const limits = { quietSince: null, quietNormal: 0, lateAt: 100, stalledAt: 200, lacks: null };
		const at = (now: number) => standingOf(firmware, now, 0, limits);
		expect([at(100), at(101), at(200), at(201)]).to.deep.equal(['moving', 'late', 'late', 'stalled']);
		expect(standingOf(firmware, 1, 0, { ...limits, lacks: 'image' })).to.equal('stalled');
		expect(standingOf(firmware, 1e12)).to.equal('moving');
		expect(standingOf(beginRun(0), 1e12, 0, limits)).to.equal('waiting');
		expect(standingOf(beginRun(0), 1, 1)).to.equal('stuck');
		expect(standingOf({ ...firmware, outcome: 'failed' }, 1)).to.equal('stuck');
		expect(standingOf({ ...firmware, outcome: 'through' }, 1e12)).to.equal('through');
	});

	it('comes with advice where a person can do something', () => {
		const failure = (kind: ProgressType | 'proof', words: string) =>
			adviceFor({ step: 'configuration', failure: { step: 'configuration', kind, words } }, { wrongCode: 0 });
		expect(failure('config-error', 'line 3: unknown word')).to.match(/line/);
		expect(failure('boot-image-error', 'hash mismatch')).to.match(/damaged/);
		expect(failure('proof', 'differs')).to.match(/differences/);
		// What is said of a unit is true of it: nothing differs where nothing was read
		for (const [words, advice] of [
			['It could not be read over SSH: it answers with an error', /did not let itself be read/],
			['Another unit has taken its place: it says that its serial number is A', /which box stands there/],
			['It runs version 1.9, not 2.0.', /firmware is not its target/],
			['The running configuration cannot be read: line 2: a tab', /no configuration as its maker/],
			['The intended configuration cannot be read: line 2: a tab', /What its profile makes/],
			['“dns” does not hold. The unit was asked “x”', /a check did not hold/]
		] as const)
			expect(failure('proof', words))
				.to.match(advice)
				.and.to.not.match(/differences/);
		expect(adviceFor(beginRun(0), { wrongCode: 2 })).to.match(/claim code/);
		expect(adviceFor(beginRun(0), { wrongCode: 0 })).to.match(/uplink/);
		expect(adviceFor({ step: 'firmware', failure: null }, { wrongCode: 0 })).to.equal(null);
		const hangs = (lacks: string | null) =>
			adviceFor({ step: 'firmware', failure: null }, { wrongCode: 0 }, { lacks });
		expect(hangs(null)).to.match(/switched off and on/);
		expect(hangs('image')).to.match(/Upload the image/);
	});
});

describe('the proof', () => {
	const input = {
		dialect: 'indented' as const,
		rules: NO_RULES,
		intended: 'a 1\nb',
		running: 'b\na 1',
		targetVersion: '2.0',
		runningVersion: '2.0'
	};
	it('holds for the right version and the same configuration in any order', () => {
		expect(judgeProof(input)).to.deep.include({ holds: true, reason: null });
		expect(judgeProof({ ...input, targetVersion: null }).holds).to.equal(true);
	});
	it('does not hold otherwise, and says why', () => {
		expect(judgeProof({ ...input, runningVersion: '1.9' }).reason).to.match(/version 1\.9, not 2\.0/);
		expect(judgeProof({ ...input, running: 'b\na 2' }).reason).to.match(/1 place/);
		expect(judgeProof({ ...input, running: 'b\n\ta' }).reason).to.match(/cannot be read: line 2/);
		expect(judgeProof({ ...input, running: '' }).differences).to.have.lengthOf(2);
	});

	it('leads to what helps, where the words name it', () => {
		const after = (kind: Failure['kind'], step: Failure['step'], words: string) =>
			remedyFor({ step, failure: { step, kind, words } }, { wrongCode: 0 });
		expect(remedyFor(beginRun(0), { wrongCode: 3 })).to.deep.equal({ kind: 'code' });
		expect(remedyFor(beginRun(0), { wrongCode: 0 })).to.equal(null);
		expect(after('withheld', 'calling', '“networks” has no value.')).to.deep.equal({
			kind: 'value',
			field: 'networks'
		});
		expect(after('withheld', 'calling', 'Its formula reads “lan”, which has no value.')).to.deep.equal({
			kind: 'value',
			field: 'lan'
		});
		expect(after('withheld', 'calling', 'No text for this dialect.')).to.equal(null);
		expect(after('config-error', 'configuration', 'line 12: unknown command')).to.deep.equal({
			kind: 'line',
			line: 12
		});
		expect(after('boot-image-error', 'firmware', 'hash mismatch on line 3')).to.equal(null);
		expect(after('proof', 'proof', '“dns” does not hold.')).to.deep.equal({ kind: 'check' });
		expect(after('proof', 'proof', 'It could not be read over SSH: it said nothing')).to.equal(null);
	});

	it('says how a position stands in words that say where', () => {
		expect(standingWords('open', null)).to.equal('no unit');
		expect(standingWords('waiting', 'bound')).to.equal('not heard yet');
		expect(standingWords('stuck', 'bound')).to.equal('wrong claim code');
		expect(standingWords('stuck', 'firmware')).to.equal('failed at firmware');
		expect(standingWords('late', 'configuration')).to.equal('late: taking its configuration');
		expect(standingWords('through', 'online')).to.equal(standingWords('online', 'online'));
		for (const step of RUN_STEPS) expect(standingWords('moving', step)).to.not.match(/undefined/);
	});
});
