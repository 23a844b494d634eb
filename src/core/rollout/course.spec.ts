import { expect } from 'chai';
import fc from 'fast-check';
import { coverOf, courseOf, mayJoin, USUAL_LIMITS, wavesOf, type Item, type Limits } from '.';

const item = (id: number, given: Partial<Item> = {}): Item => ({
	id: String(id),
	siteId: `site ${id}`,
	customerId: 'one',
	model: 'a',
	version: '1',
	uplink: 'fibre',
	isAble: true,
	isFront: false,
	takes: 10,
	...given
});
const ALWAYS = [{ from: 0, until: 1_000_000 }];

const items = fc
	.array(
		fc.record({
			siteId: fc.constantFrom('s1', 's2', 's3', 's4'),
			model: fc.constantFrom('a', 'b', 'c'),
			version: fc.constantFrom('1', '2'),
			uplink: fc.constantFrom('fibre', 'cellular'),
			isAble: fc.boolean(),
			isFront: fc.boolean(),
			takes: fc.integer({ min: 1, max: 30 }),
			apart: fc.option(fc.uniqueArray(fc.nat(24), { maxLength: 3 }), { nil: undefined }),
			with: fc.option(fc.subarray(['hub 1', 'hub 2', '0']), { nil: undefined })
		}),
		{ maxLength: 25 }
	)
	.map((all) =>
		all.map(({ apart, ...one }, index): Item => ({
			...item(index, one),
			customerId: one.siteId < 's3' ? 'one' : 'other',
			with: one.with?.filter((other) => other !== String(index)),
			apart: new Set((apart ?? []).filter((other) => other < all.length && other !== index).map(String))
		}))
	)
	// kept apart from each other
	.map((all) =>
		all.map((one) => ({
			...one,
			apart: new Set([...one.apart!, ...all.filter(({ apart }) => apart!.has(one.id)).map(({ id }) => id)])
		}))
	);
const rule = fc.record({
	growth: fc.integer({ min: 2, max: 5 }),
	sizes: fc.option(fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 4 }), { nil: null })
});

describe('the waves of a rollout', () => {
	it('begin with few units in which everything is met', () => {
		const given = [
			item(0),
			item(1, { model: 'b' }),
			item(2, { model: 'b', uplink: 'cellular' }),
			item(3, { version: '2', customerId: 'other' }),
			item(4, { model: 'c', isAble: false })
		];
		expect(coverOf(given).map(({ id }) => id)).to.deep.equal(['0', '2', '3']);
		expect(wavesOf(given, { growth: 4, sizes: null }).map((wave) => wave.length)).to.deep.equal([3, 2]);
		expect(wavesOf([], { growth: 4, sizes: null })).to.deep.equal([]);
		const all = Array.from({ length: 100 }, (_, index) => item(index, { siteId: `site ${index >> 1}` }));
		expect(wavesOf(all, { growth: 4, sizes: null }).map(({ length }) => length)).to.deep.equal([
			1, 5, 20, 74
		]);
		expect(wavesOf(all, { growth: 4, sizes: [10, 20] }).map(({ length }) => length)).to.deep.equal([10, 90]);
	});

	it('of named sizes part the units of a site, its gateway last', () => {
		const site = [item(0, { isFront: true }), item(1), item(2), item(3), item(4)].map((one) => ({
			...one,
			siteId: 'one'
		}));
		const ids = (sizes: number[]) =>
			wavesOf(site, { growth: 4, sizes }).map((wave) => wave.map(({ id }) => id));
		const first = coverOf(site)[0]!.id;
		expect(first).to.equal('0');
		expect(ids([2, 3])).to.deep.equal([
			['0', '1'],
			['2', '3', '4']
		]);
		const others = site.with(0, item(5, { siteId: 'one' })).concat(item(6, { siteId: 'one', isFront: true }));
		expect(wavesOf([others[0]!, others[5]!, ...others.slice(1, 5)], { growth: 4, sizes: [3, 1, 1] }).at(-1))
			.to.have.lengthOf(2)
			.and.satisfy((last: Item[]) => last.at(-1)!.isFront);
	});

	it('hold each unit once, have the sizes asked for or keep later sites together, and cover what can be covered', () => {
		fc.assert(
			fc.property(items, rule, (given, waves) => {
				const made = wavesOf(given, waves);
				expect(
					made
						.flat()
						.map(({ id }) => id)
						.sort()
				).to.deep.equal(given.map(({ id }) => id).sort());
				const cover = coverOf(given);
				for (const kind of ['model', 'version', 'uplink', 'customerId'] as const)
					expect(new Set(cover.map((one) => one[kind]))).to.deep.equal(
						new Set(given.filter(({ isAble }) => isAble).map((one) => one[kind]))
					);
				if (waves.sizes !== null) {
					const sizes = made.map(({ length }) => length);
					const asked = [Math.max(waves.sizes[0]!, cover.length), ...waves.sizes.slice(1)];
					expect(sizes.slice(0, -1)).to.deep.equal(asked.slice(0, Math.max(0, sizes.length - 1)));
					if (sizes.length > 0 && sizes.length < asked.length)
						expect(sizes.at(-1)).to.be.at.most(asked[sizes.length - 1]!);
					return;
				}
				const first = new Set(cover.map(({ id }) => id));
				const waveOf = new Map<string, number>();
				for (const [wave, all] of made.entries())
					for (const { id, siteId } of all)
						if (!first.has(id)) expect(waveOf.get(siteId) ?? wave).to.equal((waveOf.set(siteId, wave), wave));
			})
		);
	});
});

describe('the course of a rollout', () => {
	const limits = (given: Partial<Limits>): Limits => ({ ...USUAL_LIMITS, ...given });

	it('waits for windows, and says who has none', () => {
		const night = [
			{ from: 100, until: 125 },
			{ from: 200, until: 230 }
		];
		const course = courseOf(
			[[item(0), item(1), item(2), item(3, { takes: 40 })]],
			() => night,
			limits({ all: 1 }),
			0
		);
		expect(course.units.map(({ id, during }) => [id, during?.from ?? null])).to.deep.equal([
			['3', null],
			['0', 100],
			['1', 110],
			['2', 200]
		]);
		expect(course.until).to.equal(210);
		expect(course.waves).to.deep.equal([{ from: 100, until: 210 }]);
		expect(courseOf([[item(0)]], () => [], limits({}), 0)).to.deep.include({
			until: null,
			waves: [null],
			spells: 0
		});
	});

	it('does access points before the gateway that they hang on, which is alone then', () => {
		const site = [
			item(0, { siteId: 's', isFront: true }),
			item(1, { siteId: 's' }),
			item(2, { siteId: 's' }),
			item(3, { siteId: 's' })
		];
		const from = (given: Partial<Limits>) =>
			Object.fromEntries(
				courseOf([site], () => ALWAYS, limits(given), 0).units.map(({ id, during }) => [id, during!.from])
			);
		expect(from({})).to.deep.equal({ 1: 0, 2: 0, 3: 10, 0: 20 });
		expect(from({ frontsLast: false })).to.deep.equal({ 0: 0, 1: 10, 2: 10, 3: 20 });
		expect(mayJoin({ isFront: true }, { count: 1, front: false }, limits({}))).to.equal(false);
	});

	it('keeps to its limits, windows, orders and what is kept apart', () => {
		const spans = fc
			.array(fc.record({ from: fc.nat(400), takes: fc.integer({ min: 1, max: 60 }) }), { maxLength: 4 })
			.map((all) => {
				let after = 0;
				return all.map(({ from, takes }) => {
					const begin = after + from;
					after = begin + takes + 1;
					return { from: begin, until: begin + takes };
				});
			});
		const allowed = fc.record({
			all: fc.integer({ min: 1, max: 6 }),
			perCustomer: fc.integer({ min: 1, max: 4 }),
			perSite: fc.integer({ min: 1, max: 3 }),
			frontsLast: fc.boolean()
		});
		fc.assert(
			fc.property(
				items,
				rule,
				fc.array(spans, { minLength: 4, maxLength: 4 }),
				allowed,
				(given, waves, windows, most) => {
					const spansOf = (site: string) => windows[Number(site[1]) - 1]!;
					const made = wavesOf(given, waves);
					const course = courseOf(made, spansOf, most, 5);
					const known = new Map(given.map((one) => [one.id, one]));
					expect(course.units.map(({ id }) => id).sort()).to.deep.equal([...known.keys()].sort());
					const done = course.units.flatMap(({ id, wave, during }) =>
						during ? [{ ...known.get(id)!, wave, ...during }] : []
					);
					for (const one of done) {
						expect(one.until - one.from).to.equal(one.takes);
						expect(
							spansOf(one.siteId).some(({ from, until }) => from <= one.from && one.until <= until)
						).to.equal(true);
						const beside = done.filter(({ from, until }) => from <= one.from && one.from < until);
						expect(beside.length).to.be.at.most(most.all);
						expect(beside.filter(({ customerId }) => customerId === one.customerId).length).to.be.at.most(
							most.perCustomer
						);
						const here = beside.filter(({ siteId }) => siteId === one.siteId);
						expect(here.length).to.be.at.most(most.perSite);
						if (here.some(({ isFront }) => isFront)) expect(here.length).to.equal(1);
						expect(beside.some(({ id }) => one.apart!.has(id))).to.equal(false);
						const changed = (other: Item) => [other.id, ...(other.with ?? [])];
						for (const other of beside)
							if (other.id !== one.id)
								expect(changed(other).filter((id) => changed(one).includes(id))).to.deep.equal([]);
						expect(new Set(beside.map(({ wave }) => wave)).size).to.equal(1);
						for (const other of done)
							if (other.siteId === one.siteId && other.wave === one.wave && other.isFront !== one.isFront)
								expect(other.from > one.from).to.equal(other.isFront === most.frontsLast);
					}
					// whoever is not done has no span that is long enough once its wave has begun
					for (const { id, during } of course.units)
						if (!during) {
							const one = known.get(id)!;
							const free = spansOf(one.siteId).filter(
								({ from, until }) => until - Math.max(from, 5) >= one.takes
							);
							const last = Math.max(0, ...done.map(({ until }) => until));
							expect(free.every(({ until }) => until - one.takes < last)).to.equal(true);
						}
				}
			)
		);
	});
});
