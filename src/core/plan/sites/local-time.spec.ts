import { expect } from 'chai';
import fc from 'fast-check';
import { readLocalTime, writeLocalTime } from './local-time';

const ZONE = 'Pacific/Auckland';
const message = (text: string, zone = ZONE) => {
	const read = readLocalTime(text, zone);
	return read.ok ? 'read' : read.message;
};

describe('a local time', () => {
	it('is the instant that it is in its zone', () => {
		const read = readLocalTime('2026-12-01 09:30', ZONE);
		expect(read.ok && new Date(read.at).toISOString()).to.equal('2026-11-30T20:30:00.000Z');
		const winter = readLocalTime('2026-06-01T9:30', ZONE);
		expect(winter.ok && new Date(winter.at).toISOString()).to.equal('2026-05-31T21:30:00.000Z');
	});
	it('is refused where the clocks skip it or have it twice, and where there is no such date', () => {
		// Clocks go forward on 27 September 2026 at 2:00, and back on 5 April 2026 at 3:00
		expect(message('2026-09-27 02:30')).to.match(/skipped or comes twice/);
		expect(message('2026-04-05 02:30')).to.match(/skipped or comes twice/);
		expect(message('2026-09-27 03:30')).to.equal('read');
		expect(message('2026-02-30 09:00')).to.match(/There is no/);
		expect(message('2026-12-01 25:00')).to.match(/There is no/);
		for (const text of ['3/4/2026 9:00', 'tomorrow', '', '2026-12-01', '9:30'])
			expect(message(text), text).to.match(/is no date and time/);
	});
	it('reads again what it wrote, but where clocks change', () => {
		fc.assert(
			fc.property(fc.integer({ min: 0, max: 4_000_000_000 }), (minutes) => {
				const at = minutes * 1000 - ((minutes * 1000) % 60_000);
				const read = readLocalTime(writeLocalTime(at, ZONE), ZONE);
				if (read.ok) expect(read.at).to.equal(at);
				else expect(read.message).to.match(/skipped or comes twice/);
			})
		);
	});
});
