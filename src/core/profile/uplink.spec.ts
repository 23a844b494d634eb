import { expect } from 'chai';
import fc from 'fast-check';
import { PURPOSE_IDS, type PurposeId } from './guide';
import { partsAtUplink } from './uplink';

const part = (name: string, purpose: PurposeId | null) => ({ name, purpose });
const ALL = [
	part('Name', 'identity'),
	part('Fibre', 'uplink-fibre'),
	part('SIM', 'uplink-cellular'),
	part('Own', null)
];
const names = (uplink: 'fibre' | 'dsl' | 'cellular', parts = ALL) =>
	partsAtUplink(parts, uplink).parts.map(({ name }) => name);

describe('the uplink decides which part counts', () => {
	it('takes the part for the site’s kind of uplink, and all that are for none', () => {
		expect(names('fibre')).to.deep.equal(['Name', 'Fibre', 'Own']);
		expect(names('cellular')).to.deep.equal(['Name', 'SIM', 'Own']);
	});
	it('says that a profile has no part for this kind', () => {
		const { gap } = partsAtUplink(ALL, 'dsl');
		expect(gap).to.equal('The site’s uplink is DSL, and the profile has parts for fibre and cellular only.');
		expect(partsAtUplink([part('Name', 'identity')], 'dsl').gap).to.equal(null);
	});
	it('keeps the order, never a part of another kind, and has a gap only where no kind fits', () => {
		const purposes = fc.array(fc.option(fc.constantFrom(...PURPOSE_IDS), { nil: null }));
		fc.assert(
			fc.property(
				purposes,
				fc.constantFrom('fibre' as const, 'dsl' as const, 'cellular' as const),
				(some, uplink) => {
					const parts = some.map((purpose, index) => part(String(index), purpose));
					const { parts: fitting, gap } = partsAtUplink(parts, uplink);
					const numbers = fitting.map(({ name }) => Number(name));
					expect(numbers).to.deep.equal([...numbers].sort((a, b) => a - b));
					const kinds = fitting.flatMap(({ purpose }) => (purpose?.startsWith('uplink-') ? [purpose] : []));
					expect(kinds.every((kind) => kind === `uplink-${uplink}`)).to.equal(true);
					const wanted = some.some((purpose) => purpose?.startsWith('uplink-'));
					expect(gap !== null).to.equal(wanted && kinds.length === 0);
				}
			)
		);
	});
});
