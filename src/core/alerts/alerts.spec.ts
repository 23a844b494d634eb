import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import {
	alertRuleSchema,
	episodes,
	gatheredByTunnels,
	isBack,
	isPast,
	rootsOf,
	ruleWords,
	type FigureRule,
	type UnitAt
} from '.';
import { SLOT_MS, type Point } from '../health';

const busy: FigureRule = {
	about: 'figure',
	figure: 'processor',
	side: 'above',
	limit: 90,
	back: 80,
	minutes: 15
};
const points = (values: readonly (number | null)[]): Point[] =>
	values.flatMap((mean, slot) =>
		mean === null ? [] : [{ at: slot * SLOT_MS, min: mean, mean, max: mean, known: 1 }]
	);
const found = (rule: FigureRule, values: readonly (number | null)[]) =>
	episodes(rule, points(values)).map(({ from, to }) => [from / SLOT_MS, to === null ? null : to / SLOT_MS]);

describe('an alert’s rule', () => {
	it('is a sentence', () => {
		expect(ruleWords(busy)).to.equal('processor above 90 % for 15 minutes, until it is no more than 80 %');
		expect(
			ruleWords({ ...busy, figure: 'signal', side: 'below', limit: -100, back: -100, minutes: 60 })
		).to.equal('cellular signal below -100 dBm for 1 hour');
		expect(ruleWords({ about: 'not heard', minutes: 10 })).to.equal('not heard for 10 minutes');
		expect(ruleWords({ about: 'late', minutes: 60 })).to.equal('late for 1 hour in a step of its onboarding');
		expect(ruleWords({ about: 'drift', minutes: 5 })).to.equal(
			'runs something other than it should for 5 minutes'
		);
		expect(ruleWords({ about: 'ending', days: 14 })).to.equal(
			'has a voucher that ends within 14 days, and did not come through yet'
		);
		expect(ruleWords({ about: 'said', words: 'link down', severity: 4, times: 3, minutes: 120 })).to.equal(
			'says anything at least as grave as warning with “link down”, 3 times within 2 hours'
		);
	});

	it('ends on the other side of its limit, and is no rule otherwise', () => {
		expect(v.is(alertRuleSchema, busy)).to.equal(true);
		for (const wrong of [
			{ ...busy, back: 95 },
			{ ...busy, side: 'below' },
			{ ...busy, figure: 'uptime' },
			{ ...busy, minutes: 0 },
			{ ...busy, limit: Infinity },
			{ ...busy, more: 1 },
			{ about: 'everything' },
			null
		])
			expect(v.is(alertRuleSchema, wrong), JSON.stringify(wrong)).to.equal(false);
	});

	it('tells once it was past its limit for long enough, and until it is back', () => {
		expect(found(busy, [95, 95, 50, 95, 95, 95, 95, 85, 85, 80, 95])).to.deep.equal([[5, 9]]);
		expect(found(busy, [91, 92, 93])).to.deep.equal([[2, null]]);
		expect(found(busy, [90, 90, 90, 90])).to.deep.equal([]);
		// A gap is neither here nor there
		expect(found(busy, [95, 95, null, 95, 95, 95, null, null, 50])).to.deep.equal([[5, 8]]);
	});

	const value = fc.option(fc.integer({ min: 60, max: 100 }), { freq: 8 });
	it('tells as it would reading by reading', () => {
		fc.assert(
			fc.property(fc.array(value, { maxLength: 60 }), fc.integer({ min: 1, max: 40 }), (values, minutes) => {
				const rule = { ...busy, minutes };
				const needed = Math.ceil(minutes / 5);
				const all = episodes(rule, points(values));
				for (const [index, { from, to }] of all.entries()) {
					const begin = from / SLOT_MS;
					const run = values.slice(begin - needed + 1, begin + 1);
					expect(run.length).to.equal(needed);
					expect(run.every((one) => one !== null && isPast(rule, one))).to.equal(true);
					if (to === null) expect(index).to.equal(all.length - 1);
					else expect(isBack(rule, values[to / SLOT_MS]!)).to.equal(true);
					const within = values.slice(begin, to === null ? undefined : to / SLOT_MS);
					expect(within.every((one) => one === null || !isBack(rule, one))).to.equal(true);
				}
			})
		);
	});
});

describe('why units are not heard', () => {
	const unit = (id: string, isAway: boolean, isFront = false): UnitAt => ({ id, isAway, isFront });

	it('is the front, where that is away too; else the switch on which they hang', () => {
		const cables = [
			['gw', 'sw'],
			['sw', 'ap1'],
			['sw', 'ap2'],
			['gw', 'ap3']
		] as const;
		const site = (...away: readonly string[]) =>
			['ap1', 'ap2', 'ap3', 'sw', 'gw', 'loose'].map((id) => unit(id, away.includes(id), id === 'gw'));
		expect(rootsOf(site('gw', 'sw', 'ap1', 'ap2', 'ap3', 'loose'), cables)).to.deep.equal([
			{ id: 'gw', because: ['sw', 'ap3', 'ap1', 'ap2', 'loose'] }
		]);
		expect(rootsOf(site('sw', 'ap1', 'ap2'), cables)).to.deep.equal([{ id: 'sw', because: ['ap1', 'ap2'] }]);
		expect(rootsOf(site('ap1', 'loose'), cables)).to.deep.equal([
			{ id: 'ap1', because: [] },
			{ id: 'loose', because: [] }
		]);
		// The switch is heard: whatever ails the access point, it is not the gateway
		expect(rootsOf(site('gw', 'ap1'), cables)).to.deep.equal([
			{ id: 'gw', because: [] },
			{ id: 'ap1', because: [] }
		]);
		expect(rootsOf([], [['a', 'b']])).to.deep.equal([]);
	});

	it('accounts for each that is away once, however they are cabled', () => {
		const ids = ['a', 'b', 'c', 'd', 'e'];
		fc.assert(
			fc.property(
				fc.tuple(...ids.map(() => fc.record({ isAway: fc.boolean(), isFront: fc.boolean() }))),
				fc.array(fc.tuple(fc.constantFrom(...ids, 'x'), fc.constantFrom(...ids)), { maxLength: 12 }),
				(given, cables) => {
					const units = given.map((one, index) => ({ id: ids[index]!, ...one }));
					const all = rootsOf(units, cables).flatMap(({ id, because }) => [id, ...because]);
					expect([...all].sort()).to.deep.equal(units.flatMap(({ id, isAway }) => (isAway ? [id] : [])));
				}
			)
		);
	});

	it('gathers sites under the hub that is away, and under no other', () => {
		const root = (id: string, since = 0, because: readonly string[] = []) => ({ id, since, because });
		const hour = 3_600_000;
		// Two branches of one hub; one of two hubs, of which one is there
		const tunnels = [
			['b1', 'hub'],
			['b2', 'hub'],
			['b3', 'hub'],
			['b3', 'there']
		] as const;
		expect(
			gatheredByTunnels(
				[root('b1', 0, ['sw']), root('b2', hour), root('b3'), root('hub', 0, ['ap'])],
				tunnels
			)
		).to.deep.equal([
			{ id: 'hub', because: ['b1', 'sw', 'b2', 'ap'] },
			{ id: 'b3', because: [] }
		]);
		// It was away long before its hub was
		expect(gatheredByTunnels([root('b1'), root('hub', hour)], tunnels)).to.deep.equal([
			{ id: 'b1', because: [] },
			{ id: 'hub', because: [] }
		]);
		// The hub's own end hangs on what is away at the hub
		expect(gatheredByTunnels([root('b1'), root('power', 0, ['hub'])], tunnels)).to.deep.equal([
			{ id: 'power', because: ['b1', 'hub'] }
		]);
	});

	it('keeps each in one root, however hubs hang on each other', () => {
		const ids = ['a', 'b', 'c', 'd'];
		const one = fc.constantFrom(...ids, 'there');
		fc.assert(
			fc.property(
				fc.array(fc.tuple(one, one), { maxLength: 8 }),
				fc.array(fc.nat(1e7), { minLength: 4, maxLength: 4 }),
				(tunnels, since) => {
					const roots = ids.map((id, index) => ({ id, since: since[index]!, because: [`${id}1`] }));
					const gathered = gatheredByTunnels(roots, tunnels);
					expect(gathered.flatMap(({ id, because }) => [id, ...because]).sort()).to.deep.equal(
						ids.flatMap((id) => [id, `${id}1`])
					);
					expect(gatheredByTunnels(roots, [])).to.deep.equal(
						roots.map(({ id, because }) => ({ id, because }))
					);
				}
			)
		);
	});
});
