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
	it('go before those that come later, and give way to what is drawn', () => {
		const names = [
			{ name: 'Fairlie', box: box(0, 0) },
			{ name: 'over it', box: box(30, 5) },
			{ name: 'over a mark', box: box(200, 0) },
			{ name: 'free', box: box(0, 40) }
		];
		const written = namesThatFit(names, [box(230, 0, 14)]);
		expect(written.map(({ name }) => name)).to.deep.equal(['Fairlie', 'free']);
	});

	it('meet neither each other nor what is drawn, and none is left out for nothing', () => {
		const boxes = fc.array(
			fc.record({ left: fc.integer({ max: 400, min: 0 }), top: fc.integer({ max: 400, min: 0 }) }),
			{ maxLength: 40 }
		);
		fc.assert(
			fc.property(boxes, boxes, (wanted, marks) => {
				const names = wanted.map(({ left, top }) => ({ box: box(left, top) }));
				const drawn = marks.map(({ left, top }) => box(left, top, 14));
				const written = namesThatFit(names, drawn);
				for (const [at, one] of names.entries()) {
					const before = [
						...drawn,
						...names
							.slice(0, at)
							.filter((other) => written.includes(other))
							.map((other) => other.box)
					];
					expect(written.includes(one)).to.equal(before.every((other) => apart(one.box, other)));
				}
			})
		);
	});
});
