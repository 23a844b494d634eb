import { expect } from 'chai';
import fc from 'fast-check';
import { shareOfAll, shareWords, standingBetween, type DriftState, type Look } from '.';

const look = fc.record({
	at: fc.integer({ min: -100, max: 1100 }),
	state: fc.constantFrom<DriftState>('as intended', 'differs', 'unreadable'),
	why: fc.constant('due'),
	findings: fc.nat(5)
});
const looks = fc
	.uniqueArray(look, { selector: ({ at }) => at, maxLength: 12 })
	.map((all) => all.sort((a, b) => a.at - b.at));

describe('as intended, from when to when', () => {
	it('is a row of spans without a gap, no two neighbours alike, that ends at the end', () => {
		fc.assert(
			fc.property(looks, (all) => {
				const { spans, share } = standingBetween(all, 0, 1000);
				spans.forEach((span, index) => {
					const next = spans[index + 1];
					expect(span.to)
						.to.be.above(span.from)
						.and.to.equal(next?.from ?? 1000);
					if (next) expect(next.state).to.not.equal(span.state);
				});
				expect(share === null).to.equal(spans.length === 0);
				if (share !== null) expect(share).to.be.within(0, 1);
			})
		);
	});

	it('does not change by another look that saw the same', () => {
		fc.assert(
			fc.property(looks, fc.integer({ min: 0, max: 999 }), (all, at) => {
				const before = all.findLast((one) => one.at < at);
				fc.pre(before !== undefined && all.every((one) => one.at !== at));
				const more: Look[] = [...all, { ...before!, at }].sort((a, b) => a.at - b.at);
				expect(standingBetween(more, 0, 1000).share).to.equal(standingBetween(all, 0, 1000).share);
			})
		);
	});

	it('counts from the first look, and from how it stood before', () => {
		const seen = (at: number, state: DriftState): Look => ({ at, state, why: 'due', findings: 1 });
		expect(standingBetween([seen(600, 'as intended')], 0, 1000)).to.deep.include({ share: 1, looks: 1 });
		const { spans, share } = standingBetween([seen(-5, 'differs'), seen(250, 'as intended')], 0, 1000);
		expect(share).to.equal(0.75);
		expect(spans.map(({ from, to, state, looks: count }) => [from, to, state, count])).to.deep.equal([
			[0, 250, 'differs', 0],
			[250, 1000, 'as intended', 1]
		]);
		expect(standingBetween([], 0, 1000).share).to.equal(null);
		expect([shareWords(null), shareWords(1), shareWords(0.99999), shareWords(0)]).to.deep.equal([
			'not looked at',
			'100 %',
			'99.9 %',
			'0.0 %'
		]);
		expect(
			shareOfAll([
				standingBetween([], 0, 1),
				standingBetween([seen(0, 'differs')], 0, 1),
				standingBetween([seen(0, 'as intended')], 0, 1)
			])
		).to.equal(0.5);
	});
});
