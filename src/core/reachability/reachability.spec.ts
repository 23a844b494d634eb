import { expect } from 'chai';
import * as fc from 'fast-check';
import {
	causeWords,
	commonCause,
	judgeCrossing,
	matrixOrder,
	ONE_TURN,
	Plan,
	whomToAsk,
	type Path,
	type SeenPair
} from '.';

/** Sites s1 … sn with a tunnel to hub h each, and direct tunnels between some. */
function star(count: number, direct: readonly (readonly [string, string])[] = []): Plan {
	const sites = Array.from({ length: count }, (_, index) => `s${index + 1}`);
	const between = (id: string) =>
		direct.flatMap(([a, b]) =>
			a === id
				? [{ to: b, farAddress: `direct-${a}-${b}` }]
				: b === id
					? [{ to: a, farAddress: `direct-${b}-${a}` }]
					: []
		);
	return new Plan([
		{ id: 'h', isHub: true, tunnels: sites.map((id) => ({ to: id, farAddress: `to-${id}` })) },
		...sites.map((id) => ({
			id,
			isHub: false,
			tunnels: [{ to: 'h', farAddress: `hub-of-${id}` }, ...between(id)]
		}))
	]);
}
/** All pairs of a plan, as they would be found where `fails` says which fail. */
const looked = (plan: Plan, fails: (from: string, to: string) => boolean): SeenPair[] =>
	plan.places.flatMap(({ id: from }) =>
		plan.places.flatMap(({ id: to }) => {
			const planned = plan.path({ from, to });
			return planned === null ? [] : [{ from, to, path: fails(from, to) ? 'none' : planned, lookedAt: 1 }];
		})
	);
const touching =
	(...ids: string[]) =>
	(from: string, to: string) =>
		ids.includes(from) || ids.includes(to);

describe('who reaches whom', () => {
	it('has a planned path for what has a tunnel, or shares a hub, and none for others', () => {
		const plan = star(3, [['s1', 's2']]);
		expect(plan.path({ from: 's1', to: 's2' })).to.equal('direct');
		expect(plan.path({ from: 's1', to: 's3' })).to.equal('hub');
		expect(plan.path({ from: 'h', to: 's3' })).to.equal('direct');
		expect(plan.path({ from: 's1', to: 's1' })).to.equal(null);
		const apart = new Plan([...star(1).places, { id: 'x', isHub: false, tunnels: [] }]);
		expect(apart.path({ from: 's1', to: 'x' })).to.equal(null);
	});

	describe('an answer', () => {
		const plan = star(3, [['s1', 's2']]);
		const answered = (rows: Record<string, string>[]) => ({ rows, text: '', askedAt: 0, answeredAt: 0 });
		const found = (to: string, reach: Record<string, string>[], hops: string[] | null = null) =>
			judgeCrossing(
				plan,
				{ from: 's1', to },
				'192.0.2.1',
				answered(reach),
				hops && answered(hops.map((hop) => ({ hop })))
			);
		const yes = [{ sent: '10', received: '9', milliseconds: '21' }];

		it('tells the path by its first step', () => {
			expect(found('s3', yes, ['hub-of-s1', 'x', '192.0.2.1'])).to.deep.equal({
				path: 'hub',
				loss: 10,
				milliseconds: 21,
				hops: 3,
				words: '10 % are lost, 21 ms there and back. By way of the hub.'
			});
			expect(found('s2', yes, ['direct-s1-s2', '192.0.2.1'])).to.include({ path: 'direct', hops: 2 });
			expect(found('s2', yes, ['hub-of-s1', '192.0.2.1'])).to.include({ path: 'hub' });
			expect(found('s3', yes, ['203.0.113.9'])).to.include({ path: 'other' });
			// The tunnel to another site is no way to this one
			expect(found('s3', yes, ['direct-s1-s2'])).to.include({ path: 'other' });
			expect(found('s3', yes, ['', ''])).to.include({ path: 'other', hops: null });
			expect(found('s3', yes)).to.include({ path: 'other', hops: null });
		});

		it('that nothing comes back is no path; what cannot be read is neither', () => {
			expect(found('s3', [{ sent: '10', received: '0' }])).to.deep.include({ path: 'none', loss: 100 });
			expect(found('s3', [])).to.deep.include({ path: 'unread', loss: null });
			expect(found('s3', [{ sent: '10' }])).to.deep.include({ path: 'unread', loss: null });
		});
	});

	describe('a turn', () => {
		const plan = (count: number) => star(count);
		it('is of the same size however many there are, with nobody twice, and never itself', () =>
			fc.assert(
				fc.property(
					fc.integer({ min: 1, max: 90 }),
					fc.integer({ min: 0, max: 89 }),
					fc.array(
						fc.record({
							to: fc.integer({ min: 0, max: 90 }),
							path: fc.constantFrom<Path>('direct', 'hub', 'none', 'other', 'unread'),
							lookedAt: fc.integer({ min: 0, max: 9 })
						}),
						{ maxLength: 90 }
					),
					(count, who, seen) => {
						const all = plan(count);
						const from = all.places[who % all.places.length]!.id;
						const asked = whomToAsk(
							all,
							from,
							seen.map((one) => ({ ...one, from, to: all.places[one.to % all.places.length]!.id })),
							[]
						);
						expect(new Set(asked)).to.have.property('size', asked.length);
						expect(asked).to.not.include(from);
						expect(asked).to.have.length(Math.min(ONE_TURN, count));
					}
				)
			));

		it('comes to everybody in bounded time, though some keep failing', () => {
			const all = star(120);
			const seen = new Map<string, SeenPair>();
			let turns = 0;
			while (seen.size < 120 && turns < 100) {
				turns++;
				const failing = [...seen.values()].filter(({ path }) => path === 'none');
				for (const to of whomToAsk(all, 's1', [...seen.values()], failing))
					seen.set(to, { from: 's1', to, path: Number(to.slice(1)) % 2 ? 'none' : 'hub', lookedAt: turns });
			}
			expect(turns).to.be.at.most(Math.ceil((2 * 120) / ONE_TURN));
		});

		it('asks a hub each time in a large plan, what is astray again, and whom others miss', () => {
			const all = star(80);
			const seen = looked(all, () => false).map((one, index) => ({ ...one, lookedAt: index }));
			const late = (to: string, path: Path) =>
				seen.map((one) => (one.from === 's1' && one.to === to ? { ...one, path, lookedAt: 1e6 } : one));
			expect(whomToAsk(all, 's1', late('h', 'direct'), [])).to.include('h');
			expect(whomToAsk(all, 's1', late('s79', 'none'), [])).to.include('s79');
			expect(whomToAsk(all, 's1', late('s79', 'hub'), [])).to.not.include('s79');
			expect(whomToAsk(all, 's1', late('s79', 'hub'), [{ from: 's5', to: 's79' }])).to.include('s79');
		});
	});

	describe('what failing pairs share', () => {
		const plan = star(6);
		const cause = (fails: (from: string, to: string) => boolean, of = plan) =>
			commonCause(of, looked(of, fails));

		it('is nothing when all reach each other, or nothing is known', () => {
			expect(cause(() => false)).to.equal(null);
			expect(commonCause(plan, [])).to.equal(null);
			expect(commonCause(plan, [{ from: 's1', to: 's2', path: 'unread', lookedAt: 1 }])).to.equal(null);
		});
		it('is one site, or some', () => {
			expect(cause(touching('s3'))).to.deep.equal({ kind: 'places', ids: ['s3'] });
			const two = cause(touching('s3', 's5'));
			expect(two).to.have.property('kind', 'places');
			expect(two?.kind === 'places' && two.ids).to.have.members(['s3', 's5']);
			// Its unit is down: nobody asks from there
			expect(
				commonCause(
					plan,
					looked(plan, touching('s3')).filter(({ from }) => from !== 's3')
				)
			).to.deep.equal({ kind: 'places', ids: ['s3'] });
		});
		it('is the hub, though what goes directly still works', () => {
			expect(cause(() => true)).to.deep.equal({ kind: 'hub', id: 'h' });
			const direct = star(6, [['s1', 's2']]);
			expect(
				cause((from, to) => direct.path({ from, to }) === 'hub' || touching('h')(from, to), direct)
			).to.deep.equal({ kind: 'hub', id: 'h' });
		});
		it('is that they fall apart into groups', () => {
			const half = (id: string) => (id === 'h' ? null : Number(id.slice(1)) <= 3);
			const found = cause((from, to) => half(from) !== null && half(to) !== null && half(from) !== half(to));
			expect(found).to.deep.equal({
				kind: 'groups',
				groups: [
					['s1', 's2', 's3'],
					['s4', 's5', 's6']
				]
			});
			expect(causeWords(found!, (id) => id.toUpperCase())).to.equal(
				'They fall apart into 2 groups that do not reach each other: S1, S2 and S3; S4, S5 and S6.'
			);
		});
		it('is nothing where single pairs fail', () => {
			const found = cause((from, to) => from === 's1' && to === 's2');
			expect(found).to.deep.equal({ kind: 'pairs', pairs: [{ from: 's1', to: 's2' }] });
			expect(causeWords(found!, (id) => id)).to.equal('s1 does not reach s2; both reach others.');
		});
		it('names what explains each failing pair, whatever order they were seen in', () =>
			fc.assert(
				fc.property(
					fc.array(fc.tuple(fc.nat(6), fc.nat(6)), { maxLength: 40 }),
					fc.infiniteStream(fc.nat()),
					(broken, order) => {
						const fails = new Set(broken.map(([a, b]) => `${plan.places[a]!.id} ${plan.places[b]!.id}`));
						const seen = looked(plan, (from, to) => fails.has(`${from} ${to}`));
						const found = commonCause(plan, seen);
						const shuffled = seen
							.map((one) => ({ one, at: order.next().value as number }))
							.sort((a, b) => a.at - b.at)
							.map(({ one }) => one);
						const again = commonCause(plan, shuffled);
						expect(again?.kind).to.equal(found?.kind);
						const failing = seen.filter(({ path }) => path === 'none');
						expect(found === null).to.equal(failing.length === 0);
						if (found?.kind === 'places')
							for (const { from, to } of failing)
								expect(found.ids.includes(from) || found.ids.includes(to)).to.equal(true);
						if (found?.kind === 'pairs') expect(found.pairs).to.have.length(failing.length);
					}
				)
			));
	});

	describe('the order of a matrix', () => {
		const order = (plan: Plan, fails: (from: string, to: string) => boolean) =>
			matrixOrder(plan, looked(plan, fails), (id) => id);
		it('has the hub first and names in their order where all is well', () => {
			expect(order(star(11), () => false)).to.deep.equal([
				'h',
				...Array.from({ length: 11 }, (_, i) => `s${i + 1}`)
			]);
		});
		it('has broken groups stand together, and who is cut off last', () => {
			const odd = (id: string) => Number(id.slice(1)) % 2 === 1;
			expect(
				order(
					star(7),
					(from, to) => touching('s7')(from, to) || (from !== 'h' && to !== 'h' && odd(from) !== odd(to))
				)
			).to.deep.equal(['h', 's1', 's3', 's5', 's2', 's4', 's6', 's7']);
		});
		it('has those that miss the same stand together', () => {
			const misses = (a: string, b: string) => ['s1', 's4'].includes(a) && b === 's6';
			expect(order(star(6), (from, to) => misses(from, to) || misses(to, from)).slice(0, 5)).to.deep.equal([
				'h', 's2', 's3', 's5', 's6'
			]); // prettier-ignore
		});
	});
});
