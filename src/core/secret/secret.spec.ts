import { expect } from 'chai';
import { createHash } from 'node:crypto';
import fc from 'fast-check';
import {
	commonForm,
	dueAt,
	LOOK_ALIKES,
	makeSecret,
	NEW,
	nextRotationStep,
	offersOf,
	OLD,
	ROTATION_MOVES,
	ROTATION_STATES,
	standingOf,
	trialOutcome,
	USUAL_FORM,
	type RotationEnd,
	type RotationState,
	type RotationStep
} from '.';

/** Bytes that nobody could foretell who does not know the seed. */
function bytesOf(seed: string) {
	let block = 0;
	return (count: number) =>
		Uint8Array.from(
			Array.from({ length: Math.ceil(count / 32) }, () => [
				...createHash('sha256').update(`${seed} ${block++}`).digest()
			]).flat()
		).subarray(0, count);
}
const DAY = 86_400_000;

describe('a secret that is made', () => {
	it('has its form, and each character as often as any other', () => {
		const form = { length: 64, alphabet: 'abcdefghjk2' };
		const counts = new Map<string, number>();
		for (let at = 0; at < 400; at++) {
			const made = makeSecret(form, bytesOf(`seed ${at}`));
			expect(made).to.match(/^[abcdefghjk2]{64}$/);
			for (const one of made) counts.set(one, (counts.get(one) ?? 0) + 1);
		}
		const expected = (400 * 64) / form.alphabet.length;
		const squares = [...form.alphabet].reduce(
			(sum, one) => sum + (counts.get(one)! - expected) ** 2 / expected,
			0
		);
		// Chi-squared with 10 degrees of freedom is above 29.6 once in a thousand
		expect(squares).to.be.below(29.6);
	});

	it('suits all places it is held in, has no look-alikes, and is never easy to guess', () => {
		const forms = fc.array(
			fc.record({
				length: fc.integer({ min: 12, max: 64 }),
				alphabet: fc
					.uniqueArray(fc.integer({ min: 33, max: 126 }), { minLength: 10, maxLength: 94 })
					.map((codes) => String.fromCharCode(...codes))
			}),
			{ maxLength: 4 }
		);
		fc.assert(
			fc.property(forms, (given) => {
				const form = commonForm(given);
				if (form === null) return;
				expect(form.length * Math.log2(form.alphabet.length)).to.be.at.least(80);
				for (const one of form.alphabet) {
					expect(LOOK_ALIKES).to.not.contain(one);
					for (const { alphabet } of given) expect(alphabet).to.contain(one);
				}
				for (const { length } of given) expect(form.length).to.be.at.most(length);
			})
		);
		expect(commonForm([])).to.deep.equal(USUAL_FORM);
		expect(commonForm([USUAL_FORM, { length: 12, alphabet: 'abcdefghij' }])).to.equal(null);
	});
});

describe('the age of a secret', () => {
	it('is told two weeks before, and when it is over; an unknown one is over at once', () => {
		const now = 1_000 * DAY;
		const days = (ago: number) => standingOf(now - ago * DAY, 90, now);
		expect([0, 75, 76, 89, 90, 91].map(days)).to.deep.equal([
			'in time',
			'in time',
			'soon',
			'soon',
			'due',
			'due'
		]);
		expect(standingOf(now - 5_000 * DAY, null, now)).to.equal('no rule');
		expect(standingOf(null, 90, now)).to.equal('due');
		expect(standingOf(null, null, now)).to.equal('no rule');
		expect(dueAt(5 * DAY, 1)).to.equal(6 * DAY);
	});
});

describe('a rotation', () => {
	const end = fc.record({
		sent: fc.constantFrom<RotationEnd['sent']>('open', 'confirmed', 'not sent'),
		proved: fc.constantFrom(null, true, false)
	});
	const ends = fc.array(end, { minLength: 1, maxLength: 4 });
	const states = fc.constantFrom<RotationState>(...ROTATION_STATES);
	const LEADS_TO: Partial<Record<RotationStep, RotationState>> = {
		prove: 'proving',
		keep: 'done',
		return: 'returning',
		'give up': 'failed'
	};

	it('keeps nothing before all ends took it and proved it, and decides nothing while one is open', () => {
		fc.assert(
			fc.property(states, ends, fc.boolean(), (state, all, canReturn) => {
				const step = nextRotationStep(state, all, canReturn);
				if (step === 'keep')
					expect(state === 'proving' && all.every(({ proved }) => proved === true)).to.equal(true);
				if (step === 'prove') expect(all.every(({ sent }) => sent === 'confirmed')).to.equal(true);
				if (step === 'return') expect(canReturn).to.equal(true);
				if (state === 'sending' && all.some(({ sent }) => sent === 'open')) expect(step).to.equal('wait');
				const next = LEADS_TO[step];
				if (next) expect(ROTATION_MOVES[state]).to.contain(next);
			})
		);
	});

	it('comes to an end, whatever happens, once its ends do', () => {
		fc.assert(
			fc.property(fc.array(end, { minLength: 1, maxLength: 3 }), fc.boolean(), (all, canReturn) => {
				let state: RotationState = 'sending';
				const settled = all.map(({ sent, proved }): RotationEnd => ({
					sent: sent === 'open' ? 'not sent' : sent,
					proved: proved ?? false
				}));
				for (let count = 0; count < 5 && ROTATION_MOVES[state].length > 0; count++)
					state = LEADS_TO[nextRotationStep(state, settled, canReturn)] ?? state;
				expect(ROTATION_MOVES[state]).to.deep.equal([]);
				const isGood = settled.every(({ sent, proved }) => sent === 'confirmed' && proved === true);
				expect(state).to.equal(isGood ? 'done' : 'failed');
			})
		);
	});
});

describe('logins that are tried', () => {
	const usual = ['a', 'b'].map((name) => ({ name, login: name }));

	it('show the old one first, then the new one, then what the unit took last', () => {
		const names = (...given: Parameters<typeof offersOf<string>>) =>
			offersOf(...given).map(({ name }) => name);
		expect(names(usual, null, null)).to.deep.equal(['a', 'b']);
		expect(names(usual, 'b', null)).to.deep.equal(['b', 'a']);
		expect(names(usual, 'gone', null)).to.deep.equal(['a', 'b']);
		expect(names(usual, 'b', { old: 'x', new: 'y' })).to.deep.equal([OLD, NEW, 'b', 'a']);
		expect(names(usual, null, { old: null, new: 'y' })).to.deep.equal([NEW, 'a', 'b']);
	});

	it('prove it only where the new one was taken after the old one was refused', () => {
		expect(trialOutcome(NEW).proved).to.equal(true);
		for (const taken of [OLD, 'a', null]) expect(trialOutcome(taken).proved).to.equal(false);
		expect(trialOutcome(OLD).words).to.equal('The old one still lets in.');
	});
});
