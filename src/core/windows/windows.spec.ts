import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import {
	hoursInWords,
	isOpenAt,
	isRestricted,
	nextOpen,
	NO_RULE,
	openSpans,
	readHolidays,
	windowOf,
	windowRuleSchema,
	type WeeklyHours,
	type WindowRule
} from '.';

const AUCKLAND = 'Pacific/Auckland';
const rule = (given: Partial<WindowRule>): WindowRule => ({ ...NO_RULE, ...given });
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
const hours = (from: string, to: string, days = EVERY_DAY): WeeklyHours => ({ days, from, to });
const spans = (given: Partial<WindowRule>, from: string, until: string, zone = AUCKLAND) =>
	openSpans(windowOf([rule(given)], zone), Date.parse(from), Date.parse(until)).map((span) => [
		new Date(span.from).toISOString(),
		new Date(span.until).toISOString()
	]);

/** Another calendar than the one that the windows are computed with: what a clock on the wall shows. */
const clocks = new Map<string, Intl.DateTimeFormat>();
function wall(at: number, zone: string) {
	const clock =
		clocks.get(zone) ??
		new Intl.DateTimeFormat('en-GB', {
			timeZone: zone,
			year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit', hourCycle: 'h23'
		}); // prettier-ignore
	clocks.set(zone, clock);
	const parts = Object.fromEntries(clock.formatToParts(at).map(({ type, value }) => [type, value]));
	const date = `${parts.year}-${parts.month}-${parts.day}`;
	return {
		date,
		weekday: new Date(`${date}T12:00Z`).getUTCDay() || 7,
		time: `${parts.hour}:${parts.minute}`
	};
}
const dayBefore = (date: string) => new Date(Date.parse(date) - 86_400_000).toISOString().slice(0, 10);

describe('windows', () => {
	it('are hours of the week in the time of the site, over midnight too', () => {
		const given = { hours: [hours('22:00', '04:00', [2, 4])] };
		// Tuesday 1 December 2026 at 22:00 in Auckland is 9:00 UTC
		expect(spans(given, '2026-11-30T00:00Z', '2026-12-07T00:00Z')).to.deep.equal([
			['2026-12-01T09:00:00.000Z', '2026-12-01T15:00:00.000Z'],
			['2026-12-03T09:00:00.000Z', '2026-12-03T15:00:00.000Z']
		]);
	});

	it('open nothing in an hour that is skipped, and twice in one that comes twice', () => {
		// Forward on 27 September 2026 at 2:00, back on 5 April 2026 at 3:00
		const given = { hours: [hours('02:00', '03:00')] };
		expect(spans(given, '2026-09-26T12:00Z', '2026-09-27T11:00Z')).to.deep.equal([]);
		expect(spans(given, '2026-04-04T12:00Z', '2026-04-05T12:00Z')).to.deep.equal([
			['2026-04-04T13:00:00.000Z', '2026-04-04T15:00:00.000Z']
		]);
		expect(
			spans({ hours: [hours('01:00', '02:30')] }, '2026-04-04T11:00Z', '2026-04-05T11:00Z')
		).to.deep.equal([
			['2026-04-04T12:00:00.000Z', '2026-04-04T13:30:00.000Z'],
			['2026-04-04T14:00:00.000Z', '2026-04-04T14:30:00.000Z']
		]);
	});

	it('have days without, on which none begins and none goes on', () => {
		const given = {
			hours: [hours('22:00', '04:00')],
			without: [{ day: '2026-12-25', words: 'Christmas' }]
		};
		expect(spans(given, '2026-12-23T12:00Z', '2026-12-26T23:00Z')).to.deep.equal([
			['2026-12-23T12:00:00.000Z', '2026-12-23T15:00:00.000Z'],
			['2026-12-24T09:00:00.000Z', '2026-12-24T11:00:00.000Z'],
			['2026-12-26T09:00:00.000Z', '2026-12-26T15:00:00.000Z']
		]);
	});

	it('have single occasions, also on a day without', () => {
		const given = {
			hours: [],
			without: [{ day: '2026-12-25', words: '' }],
			once: [{ from: '2026-12-25T10:00', to: '2026-12-25T12:00', words: 'the shop is closed' }]
		};
		expect(spans(given, '2026-12-01T00:00Z', '2027-01-01T00:00Z')).to.deep.equal([
			['2026-12-24T21:00:00.000Z', '2026-12-24T23:00:00.000Z']
		]);
	});

	it('are stated furthest in; days without and occasions add up', () => {
		const outer = rule({
			hours: [hours('22:00', '23:00')],
			without: [{ day: '2026-12-25', words: '' }],
			asksFirst: true
		});
		const inner = rule({ hours: [hours('05:00', '06:00')], without: [{ day: '2026-12-26', words: '' }] });
		const both = windowOf([outer, NO_RULE, inner], 'UTC');
		expect(both).to.deep.include({ hours: inner.hours, asksFirst: true });
		expect(both.without.map(({ day }) => day)).to.deep.equal(['2026-12-25', '2026-12-26']);
		expect(windowOf([outer, rule({ asksFirst: false })], 'UTC').asksFirst).to.equal(false);
		expect(isRestricted(windowOf([NO_RULE], 'UTC'))).to.equal(false);
		expect(() => windowOf([], 'Nowhere/Land')).to.throw(RangeError);
	});

	it('say which is the next', () => {
		const window = windowOf([rule({ hours: [hours('22:00', '04:00', [2])] })], AUCKLAND);
		const tuesday = Date.parse('2026-12-01T09:00Z');
		const end = Date.parse('2026-12-01T15:00Z');
		expect(nextOpen(window, Date.parse('2026-11-26T00:00Z'))).to.deep.equal({ from: tuesday, until: end });
		expect(nextOpen(window, tuesday + 1)).to.deep.equal({ from: tuesday + 1, until: end });
		expect(nextOpen(window, end)).to.deep.equal({
			from: tuesday + 7 * 86_400_000,
			until: end + 7 * 86_400_000
		});
		expect(nextOpen(windowOf([rule({ hours: [] })], AUCKLAND), tuesday)).to.equal(null);
	});

	const ZONES = [
		AUCKLAND,
		'Pacific/Chatham',
		'Pacific/Apia',
		'Australia/Lord_Howe',
		'Europe/Berlin',
		'America/Sao_Paulo',
		'UTC'
	];
	const clock = fc
		.tuple(fc.integer({ min: 0, max: 23 }), fc.integer({ min: 0, max: 59 }))
		.map(([hour, minute]) => `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`);
	// Around the changes of clocks of 2011 (Apia left out a day) and 2026 as often as elsewhere
	const moment = fc.oneof(
		...[
			'2011-12-30T10:00Z',
			'2026-04-04T13:00Z',
			'2026-09-26T13:00Z',
			'2026-03-29T00:00Z',
			'2026-10-25T00:00Z'
		].map((around) =>
			fc.integer({ min: -2880, max: 2880 }).map((minutes) => Date.parse(around) + minutes * 60_000)
		),
		fc.integer({ min: 21_000_000, max: 33_000_000 }).map((minutes) => minutes * 60_000)
	);
	const anyHours = fc.array(
		fc.record({
			days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1, maxLength: 7 }),
			from: clock,
			to: clock
		}),
		{ maxLength: 3 }
	);

	it('are open exactly when the clock on the wall says so, by an independent calendar', () => {
		fc.assert(
			fc.property(anyHours, moment, fc.constantFrom(...ZONES), fc.boolean(), (weekly, at, zone, isFree) => {
				const now = wall(at, zone);
				const without = isFree ? [{ day: dayBefore(now.date), words: '' }] : [];
				const began = { date: dayBefore(now.date), weekday: ((now.weekday + 5) % 7) + 1 };
				const shouldBe = weekly.some(
					({ days, from, to }) =>
						(days.includes(now.weekday) && now.time >= from && (to <= from || now.time < to)) ||
						(!isFree && to <= from && days.includes(began.weekday) && now.time < to)
				);
				expect(isOpenAt(windowOf([rule({ hours: weekly, without })], zone), at)).to.equal(shouldBe);
			}),
			{ numRuns: 2000 }
		);
	});

	it('say as next what the spans say', () => {
		fc.assert(
			fc.property(anyHours, moment, fc.constantFrom(...ZONES), (weekly, at, zone) => {
				const window = windowOf([rule({ hours: weekly })], zone);
				const [first] = openSpans(window, at, at + 420 * 86_400_000);
				const next = nextOpen(window, at);
				// Around the clock, it has an end only where no further is looked
				if (first && first.until - first.from > 100 * 86_400_000) expect(next?.from).to.equal(first.from);
				else expect(next).to.deep.equal(first ?? null);
			}),
			{ numRuns: 100 }
		);
	});

	it('are refused where they make no sense', () => {
		const said = (given: object) => {
			const parsed = v.safeParse(windowRuleSchema, { ...NO_RULE, ...given });
			return parsed.success ? 'taken' : parsed.issues[0].message;
		};
		expect(said({ hours: [{ days: [], from: '22:00', to: '04:00' }] })).to.match(/which days/);
		expect(said({ hours: [{ days: [1], from: '24:00', to: '04:00' }] })).to.match(/like 22:00/);
		expect(said({ without: [{ day: '25.12.', words: '' }] })).to.match(/A day is like/);
		expect(said({ once: [{ from: '2026-12-02 09:00', to: '2026-12-01 9:00', words: '' }] })).to.match(
			/after it begins/
		);
		expect(said({ once: [{ from: '2026-02-30 09:00', to: '2026-12-01 9:00', words: '' }] })).to.match(
			/There is no/
		);
		expect(said({ once: [{ from: '2026-12-01 9:00', to: '2026-12-01T10:00', words: 'x' }] })).to.equal(
			'taken'
		);
	});
});

describe('hours of the week, in words', () => {
	it('name days and times, a whole day, every day, and that there are none', () => {
		expect(hoursInWords(null)).to.equal('At any time');
		expect(hoursInWords([])).to.equal('Never');
		expect(hoursInWords([hours('22:00', '06:00', [1, 2]), hours('00:00', '00:00', [7])])).to.equal(
			'Mon, Tue 22:00–06:00; Sun all day'
		);
		expect(hoursInWords([hours('22:00', '06:00', [1, 2, 3, 4, 7])])).to.equal('Mon–Thu, Sun 22:00–06:00');
		expect(hoursInWords([hours('01:00', '05:00')])).to.equal('Every day 01:00–05:00');
		expect(hoursInWords([hours('22:00', '22:00', [3])])).to.equal('Wed 22:00 for a day');
	});
});

describe('a calendar of holidays', () => {
	const calendar = (...events: string[]) =>
		[
			'BEGIN:VCALENDAR',
			'VERSION:2.0',
			'PRODID:-//x//y//EN',
			...events.flatMap((event) => ['BEGIN:VEVENT', ...event.split('|'), 'END:VEVENT']),
			'END:VCALENDAR',
			''
		].join('\r\n');
	const read = (text: string) => {
		const holidays = readHolidays(text, '2026-01-01', '2027-12-31');
		return holidays.ok ? holidays.days.map(({ day, words }) => `${day} ${words}`) : holidays.message;
	};

	it('gives each whole day, those that come again too', () => {
		expect(
			read(
				calendar(
					'UID:1|DTSTART;VALUE=DATE:20200206|RRULE:FREQ=YEARLY|EXDATE;VALUE=DATE:20270206|SUMMARY:Waitangi Day',
					'UID:2|DTSTART;VALUE=DATE:20261225|DTEND;VALUE=DATE:20261227|SUMMARY:Christmas\\, and the day after'
				)
			)
		).to.deep.equal([
			'2026-02-06 Waitangi Day',
			'2026-12-25 Christmas, and the day after',
			'2026-12-26 Christmas, and the day after'
		]);
	});

	it('leaves out what has times and what is cancelled', () => {
		expect(
			read(
				calendar(
					'UID:1|DTSTART:20261201T090000Z|DTEND:20261201T100000Z|SUMMARY:a meeting',
					'UID:2|DTSTART;VALUE=DATE:20261224|STATUS:CANCELLED|SUMMARY:off'
				)
			)
		).to.match(/no whole day/);
	});

	it('names a date that no month has, instead of taking another day for it', () => {
		for (const dates of [
			'DTSTART;VALUE=DATE:20260230',
			'DTSTART;VALUE=DATE:20260228|DTEND;VALUE=DATE:20260230',
			'DTSTART;VALUE=DATE:20260130|RRULE:FREQ=MONTHLY|EXDATE;VALUE=DATE:20260230'
		])
			expect(read(calendar(`UID:1|${dates}|SUMMARY:odd`)), dates).to.match(/there is no day 2026-02-30/);
		expect(read(calendar('UID:1|DTSTART;VALUE=DATE:20280229|SUMMARY:leap'))).to.match(/no whole day/);
	});

	it('is refused where it is none, or would never end', () => {
		for (const text of [
			'',
			'hello',
			'BEGIN:VCALENDAR',
			'\0'.repeat(50),
			calendar('UID:1|DTSTART;VALUE=DATE:99999999|RRULE:FREQ=SECONDLY')
		])
			expect(read(text), text.slice(0, 40)).to.be.a('string');
		expect(read(calendar('UID:1|DTSTART;VALUE=DATE:20260101|RRULE:FREQ=DAILY|SUMMARY:always'))).to.match(
			/more than 400/
		);
		expect(read('x'.repeat(2_000_000))).to.match(/longer/);
	});
});
