import { expect } from 'chai';
import fc from 'fast-check';
import { readLines } from '../intake';
import { pairUp, type NewUnit, type OpenReplacement, type Paired } from './pair';
import { replacementStanding } from './standing';

const place = (at: number, site = `Site ${at}`, position = 'Gateway'): OpenReplacement => ({
	positionId: `p${at}`,
	serial: `OLD${at}`,
	site,
	position
});
const unit = (serial: string, problem: string | null = null): NewUnit => ({
	unitId: `u-${serial}`,
	serial,
	problem
});
const places = (paired: readonly Paired[]) => paired.map((one) => (one.ok ? one.positionId : one.why));
const pair = (text: string, open: readonly OpenReplacement[], units: readonly NewUnit[]) =>
	places(pairUp(readLines(text).lines, open, units));

describe('pairing new units with places', () => {
	const open = [place(1), place(2), place(3, 'Two doors', 'Left'), place(4, 'Two doors', 'Right')];
	const units = ['A1', 'A2', 'A3', 'A4', 'A5'].map((serial) => unit(serial));

	it('goes by the old serial number, by site, by position, and else in order', () => {
		expect(pair('A1\nA2,old-1\nA3,two doors,right\nA4', open, units)).to.deep.equal(['p2', 'p1', 'p4', 'p3']);
		expect(pair('a-1;Site 2\r\n\r\nA2', open, units)).to.deep.equal(['p2', 'p1']);
	});

	it('says of each line why not', () => {
		expect(
			pair('A1,Two doors\nA2,OLD1\nA3,OLD1\nA2\nB9\nA4,Nowhere\nA5,Two doors,Cellar', open, [
				...units.slice(0, 4),
				unit('A5')
			])
		).to.deep.equal([
			'More than one waits at “Two doors”: name the position too.',
			'p1',
			'OLD1 has its new unit already.',
			'It stands here twice.',
			'No unit of this customer has this serial number. Claim it first.',
			'Nothing to replace is called “Nowhere”.',
			'Nothing waits for a unit at “Two doors”, “Cellar”.'
		]);
		expect(pair('A1', open, [unit('A1', 'It is bound already.')])).to.deep.equal(['It is bound already.']);
		expect(pair('A1\nA2', open.slice(0, 1), units)).to.deep.equal([
			'p1',
			'No place is left that waits for a unit.'
		]);
		expect(pair('', open, units)).to.deep.equal([]);
	});

	it('gives each unit and each place once at most, whatever is given', () => {
		const cell = fc.constantFrom('A1', 'A2', 'A3', 'OLD1', 'OLD2', 'Site 1', 'Two doors', 'Left', 'x', '');
		fc.assert(
			fc.property(fc.array(fc.array(cell, { minLength: 1, maxLength: 4 })), (rows) => {
				const lines = rows.map((cells, at) => ({ line: at + 1, raw: cells.join(), cells }));
				const paired = pairUp(lines, open, units);
				expect(paired.map(({ line }) => line)).to.deep.equal(lines.map(({ line }) => line));
				const good = paired.filter((one) => one.ok);
				expect(new Set(good.map(({ unitId }) => unitId)).size).to.equal(good.length);
				expect(new Set(good.map(({ positionId }) => positionId)).size).to.equal(good.length);
			})
		);
	});
});

describe('how a place stands', () => {
	it('tells first what keeps it from being replaced', () => {
		const there = { bound: 'old', unit: null, problems: [] } as const;
		expect(replacementStanding(there)).to.equal('no unit yet');
		expect(replacementStanding({ ...there, unit: 'A1' })).to.equal('ready');
		expect(replacementStanding({ ...there, unit: 'A1', problems: ['no port'] })).to.equal('does not match');
		expect(replacementStanding({ ...there, bound: 'new', problems: ['no port'] })).to.equal('replaced');
		expect(replacementStanding({ ...there, bound: 'other' })).to.equal('left it');
	});
});
