import { expect } from 'chai';
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import * as v from 'valibot';
import { nextSlot, recipientsSchema, rhythmWords, RHYTHM_FIELDS, slotsDue, type Every, type Rhythm } from '.';

const at = (text: string) => Date.parse(text);
const LONG_AGO = at('2020-01-01T00:00Z');
const monthly: Rhythm = { every: 'month', onDay: 1, hour: 7, zone: 'Pacific/Auckland' };
const days = (rhythm: Rhythm, after: string | null, now: string, since = LONG_AGO) =>
	slotsDue(rhythm, after, since, at(now)).map(({ day }) => day);

describe('a report that is sent regularly', () => {
	it('is due when a clock in its zone shows the hour, about the whole month before', () => {
		// 07:00 on 1 December in Auckland is 18:00 UTC on 30 November
		expect(slotsDue(monthly, '2026-11-01', LONG_AGO, at('2026-11-30T17:59:59Z'))).to.deep.equal([]);
		expect(slotsDue(monthly, '2026-11-01', LONG_AGO, at('2026-11-30T18:00Z'))).to.deep.equal([
			{ day: '2026-12-01', at: at('2026-11-30T18:00Z'), from: '2026-11-01', to: '2026-11-30' }
		]);
		expect(nextSlot(monthly, '2026-12-01', at('2026-11-30T18:00Z'))).to.include({
			day: '2027-01-01',
			from: '2026-12-01',
			to: '2026-12-31'
		});
	});

	it('is made up for after a time in which nothing ran, the latest seven at most, and nothing from before it was stated', () => {
		const daily: Rhythm = { every: 'day', onDay: 0, hour: 6, zone: 'UTC' };
		expect(days(daily, '2026-11-25', '2026-11-28T07:00Z')).to.deep.equal([
			'2026-11-26',
			'2026-11-27',
			'2026-11-28'
		]);
		expect(days(daily, '2026-01-01', '2026-11-28T07:00Z'))
			.to.have.length(7)
			.and.include('2026-11-22');
		expect(days(daily, null, '2026-11-28T07:00Z', at('2026-11-28T06:00:01Z'))).to.deep.equal([]);
		expect(days(daily, null, '2026-11-29T07:00Z', at('2026-11-28T06:00:01Z'))).to.deep.equal(['2026-11-29']);
	});

	it('comes once on the days on which a zone changes its clocks', () => {
		const at2: Rhythm = { every: 'day', onDay: 0, hour: 2, zone: 'Pacific/Auckland' };
		// 02:00 does not come on 27 September 2026: an hour later it is 03:00
		expect(nextSlot(at2, '2026-09-26', at('2026-09-26T12:00Z')).at).to.equal(at('2026-09-26T14:00Z'));
		// 02:00 comes twice on 5 April 2026: the first counts
		expect(nextSlot(at2, '2026-04-04', at('2026-04-04T11:00Z')).at).to.equal(at('2026-04-04T13:00Z'));
		expect(days(at2, '2026-04-05', '2026-04-04T14:30Z')).to.deep.equal([]);
		// Samoa left out 30 December 2011: that day’s report comes as the next begins
		const samoa: Rhythm = { ...at2, zone: 'Pacific/Apia' };
		expect(days(samoa, '2011-12-29', '2011-12-31T00:00Z', 0)).to.deep.equal(['2011-12-30', '2011-12-31']);
	});

	it('holds whatever the rhythm: days rise, none comes twice, each is due when it is made and none is left out', () => {
		const rhythm = fc
			.record({
				every: fc.constantFrom<Every>('day', 'week', 'month'),
				onDay: fc.integer({ min: 1, max: 28 }),
				hour: fc.integer({ min: 0, max: 23 }),
				zone: fc.constantFrom('UTC', 'Pacific/Auckland', 'America/St_Johns', 'Asia/Kathmandu', 'Africa/Casablanca') // prettier-ignore
			})
			.map((one) => (one.every === 'week' ? { ...one, onDay: (one.onDay % 7) + 1 } : one));
		const moment = fc.integer({ min: at('2024-01-01T00:00Z'), max: at('2030-01-01T00:00Z') });
		fc.assert(
			fc.property(
				rhythm,
				moment,
				fc.array(fc.integer({ min: 1, max: 5 * 24 * 60 }), { maxLength: 25 }),
				(one, begin, steps) => {
					// A process that looks now and then, and remembers the day of the last one
					let now = begin;
					let last: string | null = null;
					const made: string[] = [];
					for (const minutes of steps) {
						const expected = nextSlot(one, last, now);
						now += minutes * 60_000;
						const due = slotsDue(one, last, begin, now);
						expect(due.length === 0 || due[0]!.day === expected.day).to.equal(true);
						expect(due.length > 0).to.equal(expected.at <= now);
						for (const { day, at: when } of due) {
							expect(when <= now && when >= begin).to.equal(true);
							const wall = Temporal.Instant.fromEpochMilliseconds(when).toZonedDateTimeISO(one.zone);
							expect([wall.hour, wall.toPlainDate().toString()]).to.deep.equal([
								wall.hour === one.hour ? one.hour : one.hour + 1,
								day
							]);
							made.push(day);
							last = day;
						}
					}
					expect(made).to.deep.equal([...new Set(made)].sort());
				}
			),
			{ numRuns: 60 }
		);
	});

	it('says its rhythm in words', () => {
		expect(rhythmWords(monthly)).to.equal('on day 1 of every month at 07:00');
		expect(rhythmWords({ ...monthly, every: 'week', onDay: 5, hour: 16 })).to.equal('every Friday at 16:00');
		expect(rhythmWords({ ...monthly, every: 'day' })).to.equal('every day at 07:00');
	});

	it('goes to addresses, each once; what is none is named, and what is no zone refused', () => {
		const read = (text: string) => v.safeParse(recipientsSchema, text);
		expect(read('a@example.test, B@example.test\nb@EXAMPLE.test;c@example.test').output).to.deep.equal([
			'a@example.test',
			'b@EXAMPLE.test',
			'c@example.test'
		]);
		const words = (text: string) => read(text).issues?.[0].message;
		expect(words('a@example.test nobody')).to.equal('“nobody” is no e-mail address.');
		expect(words(' \n')).to.equal('To whom?');
		expect(words('a@example.test\r\nBcc:evil@example.test')).to.match(/is no e-mail address/);
		expect(words(Array.from({ length: 21 }, (_, one) => `a${one}@example.test`).join(' '))).to.match(
			/At most 20/
		);
		const zone = (text: string) => v.is(RHYTHM_FIELDS.zone, text);
		expect(['UTC', 'Pacific/Auckland', 'America/Argentina/Buenos_Aires'].every(zone)).to.equal(true);
		expect(['', '+13:00', 'Mars/Olympus', '__proto__'].some(zone)).to.equal(false);
	});
});
