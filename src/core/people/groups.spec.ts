import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import { dutiesOfGroups, DUTIES, groupDutySchema, groupsIn, type GroupDuty } from '.';

describe('groups of the firm', () => {
	const mapped: readonly GroupDuty[] = [
		{ group: 'field', customerId: 'a', duty: 'technician' },
		{ group: 'desk', customerId: 'a', duty: 'coordinator' },
		{ group: 'desk', customerId: 'b', duty: 'auditor' },
		{ group: 'chiefs', customerId: null, duty: null }
	];

	it('give the strongest of what each gives; one that nobody mapped gives nothing', () => {
		expect(dutiesOfGroups(['field'], mapped)).to.deep.equal({
			administrator: false,
			duties: { a: 'technician' }
		});
		expect(dutiesOfGroups(['desk', 'field', 'football'], mapped)).to.deep.equal({
			administrator: false,
			duties: { a: 'coordinator', b: 'auditor' }
		});
		expect(dutiesOfGroups(['chiefs'], mapped)).to.deep.equal({ administrator: true, duties: {} });
		expect(dutiesOfGroups(['Field', 'constructor', '__proto__'], mapped)).to.deep.equal({
			administrator: false,
			duties: {}
		});
	});

	it('never take away by being more, in whichever order they come', () => {
		const group = fc.constantFrom('field', 'desk', 'chiefs', 'x');
		const one = fc.record({ group, customerId: fc.constantFrom('a', 'b'), duty: fc.constantFrom(...DUTIES) });
		fc.assert(
			fc.property(fc.array(one), fc.array(group), group, (all, some, another) => {
				const [few, many] = [dutiesOfGroups(some, all), dutiesOfGroups([another, ...some], all)];
				expect(dutiesOfGroups([...some].reverse(), [...all].reverse())).to.deep.equal(few);
				const order = ['reader', 'auditor', 'technician', 'coordinator', 'engineer'];
				for (const [customer, duty] of Object.entries(few.duties))
					expect(order.indexOf(many.duties[customer]!)).to.be.at.least(order.indexOf(duty));
			})
		);
	});

	it('are read from a claim of whichever form, and nothing else is one', () => {
		expect(groupsIn(['a', 'b'])).to.deep.equal(['a', 'b']);
		expect(groupsIn('a')).to.deep.equal(['a']);
		for (const claim of [undefined, null, 7, {}, [1], [['a']], 'x'.repeat(301), Array(1_001).fill('a')])
			expect(groupsIn(claim)).to.deep.equal([]);
	});

	it('are mapped to a duty at a customer, or to all', () => {
		const read = (given: object) => v.safeParse(groupDutySchema, given);
		expect(read({ group: ' chiefs ', duty: 'administrator', customer: '' }).output).to.deep.equal({
			group: 'chiefs',
			customerId: null,
			duty: null
		});
		expect(read({ group: 'x', duty: 'reader', customer: '' }).issues?.[0].message).to.equal(
			'At which customer?'
		);
		expect(read({ group: ' ', duty: 'reader', customer: '' }).success).to.equal(false);
		expect(read({ group: 'x', duty: 'king', customer: '' }).success).to.equal(false);
	});
});
