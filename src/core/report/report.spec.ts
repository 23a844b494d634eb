import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import { PERIODS, periodBefore, REPORT_PARTS_IN_ORDER, reportSchema, type Period } from '.';

const days = (from: string, to: string) => (Date.parse(to) - Date.parse(from)) / 86_400_000 + 1;

describe('a report', () => {
	it('is about the last whole week, month or three months before a day', () => {
		expect(periodBefore('week', '2026-11-29')).to.deep.equal({ from: '2026-11-16', to: '2026-11-22' });
		expect(periodBefore('week', '2026-11-30')).to.deep.equal({ from: '2026-11-23', to: '2026-11-29' });
		expect(periodBefore('month', '2028-03-31')).to.deep.equal({ from: '2028-02-01', to: '2028-02-29' });
		expect(periodBefore('quarter', '2026-02-10')).to.deep.equal({ from: '2025-11-01', to: '2026-01-31' });
		fc.assert(
			fc.property(
				fc.constantFrom(...(Object.keys(PERIODS) as Period[])),
				fc.date({ min: new Date('2000-01-01'), max: new Date('2100-01-01'), noInvalidDate: true }),
				(period, date) => {
					const today = date.toISOString().slice(0, 10);
					const { from, to } = periodBefore(period, today);
					expect(from <= to && to < today).to.equal(true);
					const [least, most] = { day: [1, 1], week: [7, 7], month: [28, 31], quarter: [89, 92] }[period];
					expect(days(from, to)).to.be.within(least!, most!);
				}
			)
		);
	});

	it('has at least one part, in the order in which it is read, and no more than ten years', () => {
		const asked = {
			customer: null,
			cohort: null,
			figures: [],
			parts: ['alerts', 'inventory'],
			from: '2026-01-01',
			to: '2026-01-31'
		};
		expect(v.parse(reportSchema, asked).parts).to.deep.equal(['inventory', 'alerts']);
		const words = (more: object) => {
			const read = v.safeParse(reportSchema, { ...asked, ...more });
			return read.success ? null : read.issues[0].message;
		};
		expect(words({ parts: [] })).to.match(/at least one/);
		expect(words({ parts: ['secrets of others'] })).to.match(/what is reported/);
		expect(words({ from: '2026-02-01' })).to.match(/before it begins/);
		expect(words({ from: '2016-01-01', to: '2027-01-01' })).to.match(/ten years/);
		expect(words({ from: '2026-02-31', to: '2026-03-31' })).to.equal(null);
		expect(words({ from: 'yesterday' })).to.match(/which day/);
		expect(words({ parts: REPORT_PARTS_IN_ORDER })).to.equal(null);
	});
});
