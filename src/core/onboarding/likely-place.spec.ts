import { expect } from 'chai';
import fc from 'fast-check';
import { whyThere } from './likely-place';

const HOUR = 3_600_000;
const clues = { siblings: 0, appointmentAt: null, only: false };

describe('why a caller belongs to a position', () => {
	it('is said in words, the strongest first', () => {
		expect(whyThere(clues, 0)).to.equal(null);
		expect(whyThere({ ...clues, siblings: 2, appointmentAt: 3 * HOUR }, 0)).to.equal(
			'2 others of its batch are bound there; its appointment is in 3 hours'
		);
		expect(whyThere({ ...clues, siblings: 1, only: true }, 0)).to.equal(
			'another unit of its batch is bound there; no other open position suits it'
		);
		expect(whyThere({ ...clues, appointmentAt: 0 }, HOUR)).to.equal('its appointment is an hour ago');
		expect(whyThere({ ...clues, appointmentAt: 100 }, 0)).to.equal('its appointment is within the hour');
		expect(whyThere({ ...clues, appointmentAt: 40 * HOUR }, 0)).to.equal(null);
	});

	it('never vanishes with more siblings or a nearer appointment', () => {
		fc.assert(
			fc.property(fc.nat(5), fc.integer({ min: -100, max: 100 }), fc.boolean(), (siblings, hours, only) => {
				const before = whyThere({ siblings, appointmentAt: hours * HOUR, only }, 0);
				const after = whyThere(
					{ siblings: siblings + 1, appointmentAt: Math.trunc(hours / 2) * HOUR, only },
					0
				);
				expect(before !== null && after === null).to.equal(false);
			})
		);
	});
});
