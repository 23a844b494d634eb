import { expect } from 'chai';
import fc from 'fast-check';
import { dayOf, exactly, hourOf, momentOf, relatively, weekdayOf } from './times';

const at = Date.UTC(2026, 10, 25, 21, 5, 9);

describe('a moment in words', () => {
	it('is the same everywhere, in the zone that is asked for', () => {
		expect(momentOf(at, 'Pacific/Auckland')).to.equal('Thu 26 Nov, 10:05');
		expect(momentOf(at, 'Europe/Berlin')).to.equal('Wed 25 Nov, 22:05');
		expect(weekdayOf(at, 'Pacific/Auckland')).to.equal('Thu 10:05');
		expect(hourOf(Date.UTC(2026, 0, 1), 'UTC')).to.equal('00:00');
	});
	it('names the year where it is another one', () => {
		expect(dayOf(at, 'UTC', Date.UTC(2027, 0, 1))).to.equal('Wed 25 Nov 2026');
		expect(dayOf(at, 'UTC', at)).to.equal('Wed 25 Nov');
	});
	it('is exact with seconds and zone on hover', () => {
		expect(exactly(at, 'UTC')).to.equal('Wed 25 Nov 2026, 21:05:09 UTC');
	});
	it('has one length of hour whatever the time and zone', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 0, max: 4e12 }),
				fc.constantFrom('UTC', 'Asia/Kathmandu', 'Pacific/Chatham'),
				(when, zone) => {
					expect(hourOf(when, zone)).to.match(/^([01]\d|2[0-3]):[0-5]\d$/);
				}
			)
		);
	});

	it('is told from now on by the calendar where it is a day away or more', () => {
		const now = Date.parse('2026-11-29T07:12:00Z');
		const words = (text: string, zone = 'UTC') => relatively(Date.parse(text), now, zone);
		expect(words('2026-11-29T07:12:05Z')).to.equal('just now');
		expect(words('2026-11-29T07:11:30Z')).to.equal('30 sec. ago');
		expect(words('2026-11-29T06:50:00Z')).to.equal('22 min. ago');
		expect(words('2026-11-30T06:50:00Z')).to.equal('in 23 hr.');
		expect(words('2026-11-30T08:00:00Z')).to.equal('tomorrow');
		expect(words('2026-12-01T07:00:00Z')).to.equal('in 2 days');
		expect(words('2026-11-28T07:00:00Z')).to.equal('yesterday');
		expect(words('2026-11-27T23:00:00Z')).to.equal('2 days ago');
		expect(words('2026-11-27T23:00:00Z', 'Pacific/Auckland')).to.equal('yesterday');
	});
});
