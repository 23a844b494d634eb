import { expect } from 'chai';
import fc from 'fast-check';
import { chanceOfMissing, chanceOfNoStop, fewestFailures, verdict, type Outcome } from './stop';

const ALONE = { byModel: false, models: 1 } as const;
const rule = { allowed: 0.05, ...ALONE };
const bySeed = (seed: number) => {
	let state = seed;
	// mulberry32
	return () => {
		state = (state + 0x6d2b79f5) | 0;
		let t = Math.imul(state ^ (state >>> 15), 1 | state);
		t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
		return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
	};
};
const drawn = (random: () => number, units: number, share: number): Outcome[] =>
	Array.from({ length: units }, () => ({ model: 'a', failed: random() < share, signature: '' }));

describe('the rule that stops a rollout', () => {
	it('stops few good rollouts and few bad ones escape it, from 10 units by allowed share up', () => {
		const table: Record<string, string | number>[] = [];
		const random = bySeed(20_261_127);
		for (const allowed of [0.02, 0.05, 0.1, 0.2])
			for (const factor of [1, 3]) {
				const units = Math.ceil(10 / allowed) * factor;
				const tries = 2_000;
				const simulated = (share: number) => {
					let [stops, failures] = [0, 0];
					for (let count = 0; count < tries; count++) {
						const found = verdict(drawn(random, units, share), { allowed, byModel: false });
						if (found.kind === 'go on') continue;
						stops++;
						failures += found.kind === 'stop' ? found.failures : 0;
					}
					return { share: stops / tries, failures: failures / Math.max(1, stops) };
				};
				const [good, bad] = [simulated(allowed / 2), simulated(allowed * 2)];
				table.push({
					allowed: `${allowed * 100} %`,
					units,
					'stopped at half': `${(good.share * 100).toFixed(1)} %`,
					'missed at twice': `${((1 - bad.share) * 100).toFixed(1)} %`,
					'failed until then': bad.failures.toFixed(1)
				});
				// the exact chances, and simulated ones within four standard errors of them
				const [exactGood, exactBad] = [
					1 - chanceOfNoStop(units, allowed / 2, { allowed, ...ALONE }),
					chanceOfMissing(units, { allowed, ...ALONE })
				];
				expect(exactGood).to.be.at.most(0.05);
				expect(exactBad).to.be.at.most(0.05);
				const near = (seen: number, exact: number) =>
					expect(Math.abs(seen - exact)).to.be.at.most(4 * Math.sqrt((exact * (1 - exact) + 1e-4) / tries));
				near(good.share, exactGood);
				near(1 - bad.share, exactBad);
			}
		console.table(table);
	});

	it('tells a small rollout how likely it is to miss a bad change', () => {
		expect(chanceOfMissing(0, rule)).to.equal(1);
		expect(chanceOfMissing(1, rule)).to.equal(1);
		const chances = [5, 20, 50, 100, 200].map((units) => chanceOfMissing(units, rule));
		expect(chances).to.deep.equal([...chances].sort((a, b) => b - a));
		expect(chances[1]).to.be.above(0.5);
		expect(chances[4]).to.be.below(0.05);
	});

	it('stops as soon as it knows, and not before', () => {
		const failed = (count: number): Outcome[] =>
			Array.from({ length: count }, () => ({ model: 'a', failed: true, signature: '' }));
		const fewest = fewestFailures(rule);
		expect(fewest).to.equal(3);
		expect(verdict(failed(fewest - 1), rule).kind).to.equal('go on');
		expect(verdict(failed(fewest + 5), rule)).to.deep.equal({
			kind: 'stop',
			failures: fewest,
			after: fewest
		});
		expect(verdict([], rule)).to.deep.equal({ kind: 'go on', proved: false });
		const good: Outcome[] = Array.from({ length: 60 }, () => ({ model: 'a', failed: false, signature: '' }));
		expect(verdict(good, rule)).to.deep.equal({ kind: 'go on', proved: true });
		expect(verdict(good.slice(0, 20), rule)).to.deep.equal({ kind: 'go on', proved: false });
	});

	it('stops the one model that fails in one way, and lets the others go on', () => {
		const outcomes: Outcome[] = Array.from({ length: 80 }, (_, index) => {
			const bad = index % 8 === 0;
			return { model: bad ? 'b' : index % 2 ? 'a' : 'c', failed: bad, signature: bad ? 'went back' : '' };
		});
		const both = { allowed: 0.05, byModel: true, models: 3 };
		const found = verdict(outcomes, both);
		expect(found).to.include({ kind: 'stop model', model: 'b', signature: 'went back' });
		expect(found)
			.to.have.property('failures')
			.that.is.at.most(fewestFailures(both) + 1);
		expect(verdict(outcomes, both, new Set(['b']))).to.deep.include({ kind: 'go on' });
		expect(verdict(outcomes, rule).kind).to.equal('stop');
		// one model alone has no others
		expect(
			verdict(
				outcomes.map((one) => ({ ...one, model: 'b' })),
				both
			).kind
		).to.equal('stop');
		// failing everywhere alike is nobody's own fault
		const everywhere = outcomes.map((one, index) => ({
			...one,
			failed: index % 3 === 0,
			signature: String(index)
		}));
		expect(verdict(everywhere, both).kind).to.equal('stop');
	});

	it('keeps both errors where models may stop alone, too', () => {
		const random = bySeed(19);
		const [allowed, units, tries] = [0.05, 200, 1_000];
		const ends = (share: number) =>
			Array.from({ length: tries }, () =>
				verdict(
					drawn(random, units, share).map((one, at) => ({
						...one,
						model: 'abc'[at % 3]!,
						signature: String(at % 2)
					})),
					{ allowed, byModel: true }
				)
			).filter(({ kind }) => kind !== 'go on').length / tries;
		expect(ends(allowed / 2)).to.be.at.most(0.05);
		expect(ends(allowed * 2)).to.be.at.least(0.95);
	});

	it('says the same however what came later looks', () => {
		const outcome = fc.record({
			model: fc.constantFrom('a', 'b'),
			failed: fc.boolean(),
			signature: fc.constantFrom('x', 'y')
		});
		fc.assert(
			fc.property(
				fc.array(outcome, { maxLength: 60 }),
				fc.array(outcome, { maxLength: 20 }),
				(first, later) => {
					const early = verdict(first, rule);
					if (early.kind !== 'go on') expect(verdict([...first, ...later], rule)).to.deep.equal(early);
				}
			)
		);
	});
});
