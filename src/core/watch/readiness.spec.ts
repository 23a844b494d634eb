import { expect } from 'chai';
import { isOpen, readinessOf, type Prepared } from './readiness';

const unit = { id: 'u', serial: 'OG2K1', ownership: 'confirmed' as const, shippedTo: null };
const prepared = (more: Partial<Prepared> = {}): Prepared => ({
	siteId: 's',
	appointment: '2026-03-02T09:30',
	minutes: 60,
	accessHours: '',
	cardAt: null,
	cabledAt: null,
	positions: [{ id: 'p', name: 'gw-1', unit }],
	...more
});
const at = (unitOf: object): Prepared =>
	prepared({ positions: [{ id: 'p', name: 'gw-1', unit: { ...unit, ...unitOf } }] });
const kinds = (one: Prepared) => readinessOf([], one).map(({ kind }) => kind);

describe('readiness before an appointment', () => {
	it('has a gap for everything that a visit would trip over, each with where it is put right', () => {
		expect(kinds(prepared())).to.deep.equal([]);
		expect(kinds(at({ ownership: 'asked' }))).to.deep.equal(['registry']);
		expect(kinds(at({ ownership: 'refused', shippedTo: 'Nelson clinic' }))).to.deep.equal([
			'registry',
			'place'
		]);
		expect(kinds(prepared({ cardAt: 1, cabledAt: 2 }))).to.deep.equal(['card']);
		expect(kinds(prepared({ cardAt: 2, cabledAt: 1 }))).to.deep.equal([]);
		const [gap] = readinessOf([{ kind: 'value', words: 'x', position: 'gw-1' }], prepared());
		expect(gap!.act.href).to.equal('/values?position=p');
		expect(readinessOf([{ kind: 'fact', words: 'x', position: null }], prepared())[0]!.act.href).to.equal(
			'/sites/s?change'
		);
	});

	it('knows when a place is open, as people write it; what cannot be read says nothing', () => {
		// 2 March 2026 is a Monday
		const open = (hours: string, time = '2026-03-02T09:30', minutes = 60) => isOpen(hours, time, minutes);
		expect(open('Mon to Fri 8 to 17')).to.equal(true);
		expect(open('Monday–Friday 8:00–10:29')).to.equal(false);
		expect(open('Monday–Friday 8:00–10:30')).to.equal(true);
		expect(open('Tue to Sun 8 to 17')).to.equal(false);
		expect(open('Fri to Mon 8 to 17')).to.equal(true);
		expect(open('weekdays 9 to 17', '2026-03-01T09:30')).to.equal(false);
		expect(open('Mon 8 to 9; Mon 9:30 to 11')).to.equal(true);
		expect(open('Mon to Sat 5 to 14, Sun 7 to 12', '2026-03-01T09:30')).to.equal(true);
		expect(open('8 to 17')).to.equal(true);
		for (const unread of ['', 'ring the bell', 'Mon to Fri 8 to 17, key at the bakery'])
			expect(open(unread), unread).to.equal(null);
		expect(kinds(prepared({ accessHours: 'Tue 8 to 17' }))).to.deep.equal(['hours']);
	});
});
