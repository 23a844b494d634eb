import { expect } from 'chai';
import fc from 'fast-check';
import { CUSTOMER_ACTS, FIRM_ACTS, may, DUTIES, type Capable, type PersonAct, type Duty } from './may';

const CUSTOMERS = ['a', 'b', 'c'];
const person = fc.record({
	administrator: fc.constant(false),
	duties: fc.dictionary(fc.constantFrom(...CUSTOMERS), fc.constantFrom(...DUTIES))
});
const act = fc.constantFrom<PersonAct>(...CUSTOMER_ACTS, ...FIRM_ACTS);
const at = (duty: Duty): Capable => ({ administrator: false, duties: { a: duty } });

/** Acts after which something is different. */
const CHANGES = ['claim', 'bind', 'unbind', 'retry', 'correct claim code', 'upload image', 'manage people', 'manage tokens'] as const; // prettier-ignore

describe('who may do what', () => {
	it('lets nobody do anything at a customer where they have no duty', () => {
		fc.assert(
			fc.property(
				person,
				fc.constantFrom(...CUSTOMER_ACTS),
				fc.constantFrom(...CUSTOMERS),
				(who, what, customer) => {
					if (!Object.hasOwn(who.duties, customer)) expect(may(who, what, customer)).to.equal(false);
				}
			)
		);
	});

	it('gives no more by a duty at one customer than by that duty alone', () => {
		fc.assert(
			fc.property(
				person,
				fc.constantFrom(...CUSTOMER_ACTS),
				fc.constantFrom(...CUSTOMERS),
				(who, what, customer) => {
					const duty = who.duties[customer];
					if (duty) expect(may(who, what, customer)).to.equal(may(at(duty), what, 'a'));
				}
			)
		);
	});

	it('lets an administrator do everything, everywhere', () => {
		fc.assert(
			fc.property(act, fc.option(fc.string()), (what, customer) =>
				may({ administrator: true, duties: {} }, what, customer)
			)
		);
	});

	it('changes nothing through auditors and readers, and shows readers only what is theirs', () => {
		for (const duty of ['auditor', 'reader'] as const)
			for (const what of CHANGES) expect(may(at(duty), what, 'a'), `${duty} ${what}`).to.equal(false);
		expect(CUSTOMER_ACTS.filter((what) => may(at('reader'), what, 'a'))).to.deep.equal(['see']);
		expect(FIRM_ACTS.filter((what) => may(at('reader'), what))).to.deep.equal([]);
	});

	it('keeps people, tokens and secrets from those who need them not', () => {
		for (const duty of DUTIES) {
			expect(may(at(duty), 'manage people'), duty).to.equal(false);
			expect(may(at(duty), 'manage tokens'), duty).to.equal(false);
			expect(may(at(duty), 'reveal secret', 'a'), duty).to.equal(duty === 'engineer');
			expect(may(at(duty), 'upload image'), duty).to.equal(duty === 'engineer');
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
