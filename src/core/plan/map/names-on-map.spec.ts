import { expect } from 'chai';
import fc from 'fast-check';
import { namesThatFit, type Box } from './names-on-map';

const box = (left: number, top: number, wide = 60, high = 14): Box => ({
	...{ left, top },
	...{ right: left + wide, bottom: top + high }
});
const apart = (one: Box, other: Box): boolean =>
	one.right < other.left || other.right < one.left || one.bottom < other.top || other.bottom < one.top;

describe('names on a map', () => {
	it('go before those that come later, give way to what is drawn, and stand on the other side where that is free', () => {
		const names = [
			{ name: 'Fairlie', places: [box(0, 0)] },
			{ name: 'over it', places: [box(30, 5)] },
			{ name: 'over a mark', places: [box(200, 0), box(270, 0)] },
			{ name: 'over it on both sides', places: [box(30, 5), box(275, 5)] },
			{ name: 'free', places: [box(0, 40), box(100, 40)] }
		];
		const written = namesThatFit(names, [box(230, 0, 14)]);
		expect(written.map(({ name, box: { left } }) => [name, left])).to.deep.equal([
			['Fairlie', 0],
			['over a mark', 270],
			['free', 0]
		]);
	});

	it('meet neither each other nor what is drawn, and none is left out or moved for nothing', () => {
		const corner = fc.record({
			left: fc.integer({ max: 400, min: 0 }),
			top: fc.integer({ max: 400, min: 0 })
		});
		const boxes = fc.array(corner, { maxLength: 40 });
		fc.assert(
			fc.property(fc.array(fc.array(corner, { maxLength: 3 }), { maxLength: 40 }), boxes, (wanted, marks) => {
				const names = wanted.map((places, at) => ({
					at,
					places: places.map(({ left, top }) => box(left, top))
				}));
				const drawn = marks.map(({ left, top }) => box(left, top, 14));
				const written = namesThatFit(names, drawn);
				for (const { at, places } of names) {
					const before = [...drawn, ...written.flatMap((other) => (other.at < at ? [other.box] : []))];
					const free = places.find((place) => before.every((other) => apart(place, other)));
					expect(written.find((one) => one.at === at)?.box).to.equal(free);
				}
			})
		);
	});
});
