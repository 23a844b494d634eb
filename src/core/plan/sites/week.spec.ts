import { expect } from 'chai';
import fc from 'fast-check';
import { weekOf } from './week';

describe('the week of a date', () => {
	it('is from Monday to Sunday, across months and years', () => {
		expect(weekOf('2026-11-27', '2026-01-01').days).to.deep.equal([
			'2026-11-23', '2026-11-24', '2026-11-25', '2026-11-26', '2026-11-27', '2026-11-28', '2026-11-29'
		]); // prettier-ignore
		expect(weekOf('2027-01-01', '2026-01-01')).to.deep.include({ before: '2026-12-21', after: '2027-01-04' });
	});

	it('is that of today where there is no such date', () => {
		for (const none of ['', '2026-02-30', 'next week', '99999-01-01', '0001-01-01', '2026-1-1'])
			expect(weekOf(none, '2026-11-27').days[0], none).to.equal('2026-11-23');
	});

	it('holds its date, and the next begins where it ends', () => {
		const date = fc.date({ min: new Date('2000-01-10'), max: new Date('2199-12-01'), noInvalidDate: true });
		fc.assert(
			fc.property(date, (at) => {
				const day = at.toISOString().slice(0, 10);
				const week = weekOf(day, '2026-11-27');
				expect(week.days).to.include(day);
				expect(weekOf(week.after, day).before).to.equal(week.days[0]);
			})
		);
	});
});
