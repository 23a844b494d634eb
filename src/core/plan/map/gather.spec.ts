import { expect } from 'chai';
import fc from 'fast-check';
import { gather } from './gather';

const at = (x: number, y: number) => ({ x, y });

describe('places on a map', () => {
	it('that would cover each other are gathered', () => {
		const groups = gather([at(0, 0), at(100, 0), at(5, 5), at(103, 2)], 20);
		expect(groups.map(({ members }) => members.length)).to.deep.equal([2, 2]);
		expect(groups[0]).to.include({ x: 2.5, y: 2.5 });
	});
	it('are all there once, and single ones do not cover each other', () => {
		const place = fc.record({
			x: fc.double({ min: -500, max: 500, noNaN: true }),
			y: fc.double({ min: -500, max: 500, noNaN: true })
		});
		fc.assert(
			fc.property(fc.array(place, { maxLength: 80 }), fc.integer({ min: 5, max: 60 }), (places, apart) => {
				const groups = gather(places, apart);
				expect(groups.flatMap(({ members }) => members)).to.have.members(places);
				const alone = groups.filter(({ members }) => members.length === 1);
				for (const one of alone)
					for (const other of alone)
						if (one !== other)
							expect(Math.max(Math.abs(one.x - other.x), Math.abs(one.y - other.y))).to.be.at.least(apart);
			})
		);
	});
});
