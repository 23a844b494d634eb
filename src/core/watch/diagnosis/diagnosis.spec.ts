import { expect } from 'chai';
import fc from 'fast-check';
import { CAUSE_IDS, LAMPS, type Lamp } from '../../onboarding';
import { CAUSES, QUESTION_IDS, QUESTIONS, SEEN, UNKNOWN, USUAL_SHARES, type QuestionId } from './causes';
import {
	answersOf,
	MOST_QUESTIONS,
	nextQuestion,
	seenOf,
	suspects,
	type Answered,
	type Case
} from './diagnosis';

const ALL: readonly Lamp[] = LAMPS;
const about = (answers: readonly Answered[], more: Partial<Case> = {}): Case => ({
	seen: 'silent',
	lamps: ALL,
	ended: {},
	answers,
	...more
});

describe('what it may be', () => {
	it('has shares that are shares: of every cause, every question', () => {
		const sum = (shares: Readonly<Record<string, number>>) =>
			Object.values(shares).reduce((all, one) => all + one, 0);
		for (const { id, shows } of CAUSES)
			for (const [question, shares] of Object.entries(shows)) {
				expect(sum(shares!), `${id} ${question}`).to.be.closeTo(1, 1e-9);
				for (const answer of Object.keys(shares!))
					expect(answersOf(question as QuestionId, ALL), `${id} ${question}`).to.include(answer);
			}
		for (const question of QUESTION_IDS) expect(sum(USUAL_SHARES[question]), question).to.be.closeTo(1, 1e-9);
		for (const question of QUESTION_IDS.filter((one) => one !== 'lamp'))
			expect(Object.keys(QUESTIONS[question].answers)).to.have.members([...answersOf(question, ALL)]);
		for (const seen of SEEN) expect(CAUSES.some((cause) => cause.seen === seen)).to.equal(true);
	});

	it('adds up to one, whatever is answered, in whatever order; not to know tells nothing', () => {
		const answer = fc
			.constantFrom(...QUESTION_IDS)
			.chain((question) =>
				fc
					.constantFrom(...answersOf(question, ALL), UNKNOWN, 'nonsense')
					.map((given) => ({ question, answer: given }))
			);
		fc.assert(
			fc.property(
				fc.uniqueArray(answer, { selector: ({ question }) => question, maxLength: 5 }),
				fc.constantFrom(...SEEN),
				(answers, seen) => {
					const found = suspects(about(answers, { seen }));
					expect(found.reduce((sum, { probability }) => sum + probability, 0)).to.be.closeTo(1, 1e-9);
					const turned = suspects(about([...answers].reverse(), { seen }));
					for (const { cause, probability } of found)
						expect(turned.find((one) => one.cause === cause)!.probability).to.be.closeTo(probability, 1e-12);
					const told = answers.filter(({ answer }) => answer !== UNKNOWN && answer !== 'nonsense');
					expect(suspects(about(told, { seen }))).to.deep.equal(found);
				}
			)
		);
	});

	it('is what Limen sees by itself, where it sees it, without a question', () => {
		for (const seen of SEEN.filter((one) => one !== 'silent')) {
			const alone = CAUSES.filter((cause) => cause.seen === seen);
			expect(suspects(about([], { seen }))[0]!.cause, seen).to.equal(alone[0]);
		}
		expect(nextQuestion(about([], { seen: 'wrong-code' }))).to.equal(null);
	});

	it('counts how cases ended beside what is built in', () => {
		const before = suspects(about([])).find(({ cause }) => cause.id === 'no-lease')!;
		const after = suspects(about([], { ended: { 'no-lease': 200 } }))[0]!;
		expect(after.cause.id).to.equal('no-lease');
		expect(after.probability).to.be.greaterThan(before.probability);
	});

	it('begins with how common each cause is by its pack, where that says it', () => {
		const usual = { 'line-down': 300 };
		const [first] = suspects(about([], { usual }));
		expect(first!.cause.id).to.equal('line-down');
		expect(suspects(about([], { usual: {} }))).to.deep.equal(suspects(about([])));
		expect(CAUSES.map(({ id }) => id)).to.deep.equal([...CAUSE_IDS]);
	});

	it('asks nothing twice, no more than four, and not about lights that nobody knows', () => {
		expect(nextQuestion(about([], { lamps: [] }))).to.not.equal('lamp');
		for (const seed of [1, 2, 3, 4, 5]) {
			const answers: Answered[] = [];
			for (let question = nextQuestion(about(answers)); question; question = nextQuestion(about(answers))) {
				expect(answers.some((one) => one.question === question)).to.equal(false);
				answers.push({ question, answer: answersOf(question, ALL)[seed % answersOf(question, ALL).length]! });
			}
			expect(answers.length).to.be.at.most(MOST_QUESTIONS);
		}
	});

	it('reads what Limen sees off the run', () => {
		const run = { step: 'bound', failureKind: null, failureWords: null, wrongCode: 0 };
		expect(seenOf(run)).to.equal('silent');
		expect(seenOf({ ...run, wrongCode: 2 })).to.equal('wrong-code');
		expect(seenOf({ ...run, step: 'firmware' })).to.equal('hangs-at-firmware');
		const failed = (failureWords: string) =>
			seenOf({ ...run, step: 'firmware', failureKind: 'boot-image-error', failureWords });
		expect(failed('hash mismatch: …')).to.equal('damaged-image');
		expect(failed('not enough space in flash')).to.equal('no-space');
		expect(failed('line 4: unknown word')).to.equal('refused-line');
	});
});
