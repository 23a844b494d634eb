import { expect } from 'chai';
import fc from 'fast-check';
import { readListQuery, sortedBy, writeListQuery, type ListDefinition } from './list';

const DEFINITION: ListDefinition = {
	columns: [
		{ id: 'name', title: 'Name', width: 12, grows: true, sorts: true, usual: true },
		{ id: 'when', title: 'When', width: 8, sorts: true, usual: true },
		{ id: 'note', title: 'Note', width: 8 }
	],
	filters: { standing: ['open', 'online'], pattern: 'any' },
	sort: { column: 'name', descending: false }
};
const read = (text: string) => readListQuery(new URLSearchParams(text), DEFINITION);

describe('a list’s address', () => {
	it('is read as it was written', () => {
		fc.assert(
			fc.property(
				fc.record({
					text: fc.string({ unit: 'grapheme', maxLength: 40 }),
					filters: fc.record(
						{
							standing: fc.constantFrom('open', 'online'),
							pattern: fc.string({ minLength: 1, maxLength: 20 })
						},
						{ requiredKeys: [] }
					),
					sort: fc.record({ column: fc.constantFrom('name', 'when'), descending: fc.boolean() }),
					columns: fc.subarray(['name', 'when', 'note'], { minLength: 1 })
				}),
				(query) => {
					expect(read(writeListQuery(query, DEFINITION))).to.deep.equal(query);
				}
			)
		);
	});

	it('says nothing of what is usual, and loses what makes no sense', () => {
		expect(writeListQuery(read(''), DEFINITION)).to.equal('');
		expect(read('sort=-note&standing=nowhere&columns=nothing,__proto__&constructor=x')).to.deep.equal(
			read('')
		);
		expect(read('sort=-when').sort).to.deep.equal({ column: 'when', descending: true });
		expect(read(`q=${'x'.repeat(5000)}`).text).to.have.lengthOf(100);
	});

	it('turns a column round when it is asked for again', () => {
		expect(sortedBy('when', read(''))).to.deep.equal({ column: 'when', descending: false });
		expect(sortedBy('when', read('sort=when'))).to.deep.equal({ column: 'when', descending: true });
		expect(sortedBy('when', read('sort=-when'))).to.deep.equal({ column: 'when', descending: false });
	});
});
