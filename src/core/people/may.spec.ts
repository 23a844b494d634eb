import { expect } from 'chai';
import fc from 'fast-check';
import { CUSTOMER_ACTS, FIRM_ACTS, may, ROLES, type Capable, type PersonAct, type Role } from './may';

const CUSTOMERS = ['a', 'b', 'c'];
const person = fc.record({
	administrator: fc.constant(false),
	roles: fc.dictionary(fc.constantFrom(...CUSTOMERS), fc.constantFrom(...ROLES))
});
const act = fc.constantFrom<PersonAct>(...CUSTOMER_ACTS, ...FIRM_ACTS);
const at = (role: Role): Capable => ({ administrator: false, roles: { a: role } });

/** Acts after which something is different. */
const CHANGES = ['claim', 'bind', 'unbind', 'retry', 'correct claim code', 'upload image', 'manage people', 'manage tokens'] as const; // prettier-ignore

describe('who may do what', () => {
	it('lets nobody do anything at a customer where they have no role', () => {
		fc.assert(
			fc.property(
				person,
				fc.constantFrom(...CUSTOMER_ACTS),
				fc.constantFrom(...CUSTOMERS),
				(who, what, customer) => {
					if (!Object.hasOwn(who.roles, customer)) expect(may(who, what, customer)).to.equal(false);
				}
			)
		);
	});

	it('gives no more by a role at one customer than by that role alone', () => {
		fc.assert(
			fc.property(
				person,
				fc.constantFrom(...CUSTOMER_ACTS),
				fc.constantFrom(...CUSTOMERS),
				(who, what, customer) => {
					const role = who.roles[customer];
					if (role) expect(may(who, what, customer)).to.equal(may(at(role), what, 'a'));
				}
			)
		);
	});

	it('lets an administrator do everything, everywhere', () => {
		fc.assert(
			fc.property(act, fc.option(fc.string()), (what, customer) =>
				may({ administrator: true, roles: {} }, what, customer)
			)
		);
	});

	it('changes nothing through auditors and readers, and shows readers only what is theirs', () => {
		for (const role of ['auditor', 'reader'] as const)
			for (const what of CHANGES) expect(may(at(role), what, 'a'), `${role} ${what}`).to.equal(false);
		expect(CUSTOMER_ACTS.filter((what) => may(at('reader'), what, 'a'))).to.deep.equal(['see']);
		expect(FIRM_ACTS.filter((what) => may(at('reader'), what))).to.deep.equal([]);
	});

	it('keeps people, tokens and secrets from those who need them not', () => {
		for (const role of ROLES) {
			expect(may(at(role), 'manage people'), role).to.equal(false);
			expect(may(at(role), 'manage tokens'), role).to.equal(false);
			expect(may(at(role), 'reveal secret', 'a'), role).to.equal(role === 'engineer');
			expect(may(at(role), 'upload image'), role).to.equal(role === 'engineer');
		}
	});

	it('answers for any customer at all when none is named', () => {
		fc.assert(
			fc.property(person, fc.constantFrom(...CUSTOMER_ACTS), (who, what) => {
				expect(may(who, what)).to.equal(CUSTOMERS.some((customer) => may(who, what, customer)));
			})
		);
	});

	it('is not fooled by names that every object has', () => {
		for (const name of ['constructor', '__proto__', 'toString', 'hasOwnProperty'])
			expect(may(at('engineer'), 'see', name)).to.equal(false);
	});
});
