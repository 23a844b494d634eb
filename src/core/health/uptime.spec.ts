import { expect } from 'chai';
import fc from 'fast-check';
import {
	allAway,
	lengthOf,
	shareOf,
	siteUptimes,
	united,
	uptimeOf,
	worstOf,
	type Absence,
	type UptimeOf,
	type UptimeRow
} from '.';

describe('for how much of a period a unit was there', () => {
	const period = { from: 0, to: 1000 };
	const away = (from: number, to: number, planned = ''): Absence => ({ from, to, planned });

	it('leaves out what was planned, and what was before it came into service or is still to come', () => {
		expect(uptimeOf(period, -50, 5000, [away(100, 200), away(300, 500, 'restart')])).to.deep.equal({
			expected: 800,
			away: 100,
			planned: 200,
			share: 87.5,
			times: 1
		});
		expect(uptimeOf(period, 600, 800, [away(0, 700)])).to.deep.include({
			expected: 200,
			away: 100,
			share: 50
		});
		expect(uptimeOf(period, 2000, 5000, [])).to.deep.include({ expected: 0, share: null });
		expect(uptimeOf(period, 0, 5000, [away(0, 1000, 'restart')])).to.deep.include({
			expected: 0,
			share: null
		});
		// Gone on its own in the middle of what was planned
		expect(uptimeOf(period, 0, 5000, [away(0, 500, 'x'), away(400, 600)])).to.deep.include({
			expected: 500,
			away: 100,
			planned: 500
		});
	});

	it('of a site is what nobody there was connected in', () => {
		expect(allAway([[away(0, 100), away(200, 300)], [away(50, 250)]])).to.deep.equal([
			away(50, 100),
			away(200, 250)
		]);
		expect(allAway([[away(0, 100, 'restart')], [away(0, 40, 'restart'), away(40, 100)]])).to.deep.equal([
			away(40, 100),
			away(0, 40, 'planned')
		]);
		expect(allAway([[away(0, 100)], []])).to.deep.equal([]);
		expect(allAway([])).to.deep.equal([]);
	});

	const absences = fc.array(
		fc
			.tuple(fc.integer({ min: -200, max: 1200 }), fc.integer({ min: 1, max: 400 }), fc.boolean())
			.map(([from, length, planned]) => away(from, from + length, planned ? 'restart' : '')),
		{ maxLength: 12 }
	);
	/** Instant by instant. */
	const counted = (all: readonly Absence[], since: number, now: number) => {
		const found = { expected: 0, away: 0, planned: 0 };
		for (let instant = Math.max(0, since); instant < Math.min(1000, now); instant++) {
			const there = all.filter(({ from, to }) => from <= instant && instant < to);
			if (there.some(({ planned }) => planned !== '')) found.planned++;
			else {
				found.expected++;
				if (there.length > 0) found.away++;
			}
		}
		return found;
	};
	it('is the same as counted instant by instant', () => {
		fc.assert(
			fc.property(
				absences,
				fc.integer({ min: -100, max: 1100 }),
				fc.integer({ min: 0, max: 1200 }),
				(all, since, now) => {
					expect(uptimeOf(period, since, now, all)).to.deep.include(counted(all, since, now));
				}
			)
		);
	});
	it('of a site, too', () => {
		fc.assert(
			fc.property(fc.array(absences, { minLength: 1, maxLength: 3 }), (each) => {
				const found = allAway(each);
				for (let instant = -200; instant < 1600; instant += 7) {
					const there = each.map((all) => all.filter(({ from, to }) => from <= instant && instant < to));
					const here = found.filter(({ from, to }) => from <= instant && instant < to);
					expect(here.length, String(instant)).to.equal(there.every((some) => some.length > 0) ? 1 : 0);
					if (here.length === 1)
						expect(here[0]!.planned === '').to.equal(
							there.some((some) => some.some(({ planned }) => planned === ''))
						);
				}
				expect(lengthOf(united(found))).to.equal(lengthOf(found));
			}),
			{ numRuns: 60 }
		);
	});
	it('of a site is the same, and so is its worst unit, where those that were there all the time are only counted', () => {
		const unit = (each: readonly Absence[], at: number): UptimeOf => [
			`u${at}`,
			`s${at}`,
			`p${at}`,
			`ap-${at}`,
			'access-point',
			-5,
			null,
			each.map(({ from, to, planned }): [number, number, string] => [from, to, planned])
		];
		const site = (steady: number, units: readonly UptimeOf[]): UptimeRow => ({
			...{ siteId: 's', siteName: 'S', customerId: 'c', customerName: 'C', locality: '' },
			...{ latitude: null, longitude: null, steady, units }
		});
		fc.assert(
			fc.property(fc.array(absences, { minLength: 1, maxLength: 4 }), (each) => {
				const units = each.map(unit);
				const away = units.filter((one) => one[7]!.length > 0);
				const [all, told] = siteUptimes(
					[site(0, units), site(units.length - away.length, away)],
					period,
					1000
				);
				expect(told!.uptime).to.deep.equal(all!.uptime);
				expect(told!.steady + told!.units.length).to.equal(all!.units.length);
				const worst = worstOf(told!);
				expect(worst && shareOf(worst)).to.equal(
					all!.units.some(({ uptime }) => uptime.away > 0) ? Math.min(...all!.units.map(shareOf)) : null
				);
			})
		);
	});
});
