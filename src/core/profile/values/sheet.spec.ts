import { expect } from 'chai';
import fc from 'fast-check';
import { didStep, following, NO_HISTORY, readPaste, redoStep, seriesAfter, undoStep, writePaste } from '..';

describe('cells from a spreadsheet', () => {
	it('come back as they were written', () => {
		const cell = fc.string({
			unit: fc.constantFrom('a', ' ', '\t', '\n', '"', ',', ';', 'ō', "'"),
			maxLength: 6
		});
		const grid = fc
			.integer({ min: 1, max: 4 })
			.chain((width) =>
				fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 5 })
			);
		fc.assert(
			fc.property(grid, (cells) => {
				// One empty cell alone is an empty text
				fc.pre(!(cells.at(-1)!.length === 1 && cells.at(-1)![0] === ''));
				expect(readPaste(writePaste(cells))).to.deep.equal(cells);
			})
		);
		expect(readPaste('a\tb\r\nc\td\r\n')).to.deep.equal([
			['a', 'b'],
			['c', 'd']
		]);
		expect(readPaste('')).to.deep.equal([]);
	});
});

describe('a series', () => {
	it('goes on as the given ones count', () => {
		expect(seriesAfter(['10.40.4.0/24', '10.40.8.0/24'], 3)).to.deep.equal([
			'10.40.12.0/24',
			'10.40.16.0/24',
			'10.40.20.0/24'
		]);
		expect(seriesAfter(['10.0.0.1/30'], 2)).to.deep.equal(['10.0.0.5/30', '10.0.0.9/30']);
		expect(seriesAfter(['192.0.2.254'], 2)).to.deep.equal(['192.0.2.255', '192.0.3.0']);
		expect(seriesAfter(['site-008'], 3)).to.deep.equal(['site-009', 'site-010', 'site-011']);
		expect(seriesAfter(['5', '3'], 2)).to.deep.equal(['1', '3']);
		expect(seriesAfter(['10', '20'], 2)).to.deep.equal(['30', '40']);
		expect(seriesAfter(['nels01-gw'], 1)).to.deep.equal(['nels02-gw']);
		expect(seriesAfter(['yes'], 2)).to.deep.equal(['yes', 'yes']);
		expect(seriesAfter(['255.255.255.255/32'], 1)).to.deep.equal(['255.255.255.255/32']);
		expect(seriesAfter([], 3)).to.deep.equal([]);
	});

	it('counts back what it counted on', () => {
		fc.assert(
			fc.property(fc.nat(999), fc.integer({ min: 1, max: 50 }), (number, by) => {
				const text = `n${String(number).padStart(4, '0')}`;
				expect(following(following(text, by), -by)).to.equal(text);
			})
		);
	});
});

describe('what was done in a sheet', () => {
	it('is undone and done again step by step', () => {
		const step = fc.array(
			fc.record({
				row: fc.constantFrom('a', 'b'),
				column: fc.constantFrom('x', 'y'),
				after: fc.constantFrom('1', '2')
			}),
			{ minLength: 1, maxLength: 2 }
		);
		fc.assert(
			fc.property(fc.array(step, { maxLength: 8 }), (steps) => {
				const cells = new Map<string, string>();
				const states = [new Map(cells)];
				let history = NO_HISTORY;
				for (const one of steps) {
					const changes = one.map((change) => {
						const key = `${change.row}${change.column}`;
						const made = { ...change, before: cells.get(key) ?? '' };
						cells.set(key, change.after);
						return made;
					});
					history = didStep(history, changes);
					states.push(new Map(cells));
				}
				for (let at = steps.length; at > 0; at--) {
					const undone = undoStep(history);
					history = undone.history;
					for (const { row, column, before } of [...undone.step].reverse())
						cells.set(`${row}${column}`, before);
					for (const [key, value] of cells) expect(value).to.equal(states[at - 1]!.get(key) ?? '');
				}
				expect(undoStep(history).step).to.deep.equal([]);
				for (let at = 1; at <= steps.length; at++) {
					const again = redoStep(history);
					history = again.history;
					for (const { row, column, after } of again.step) cells.set(`${row}${column}`, after);
					for (const [key, value] of states[at]!) expect(cells.get(key)).to.equal(value);
				}
			})
		);
	});
});
