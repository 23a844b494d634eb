import { expect } from 'chai';
import fc from 'fast-check';
import { failedPart, loginFor, type LoginRule } from '.';

const rule = (name: string, ranges: string[], more: Partial<LoginRule> = {}): LoginRule => ({
	id: name,
	name,
	ranges,
	models: [],
	ordinal: 0,
	...more
});

describe('which login an address uses', () => {
	it('is the one with the most specific range, then with its model, then in order, and says why', () => {
		const rules = [
			rule('all', ['10.0.0.0/8']),
			rule('lodges', ['10.40.0.0/16', '10.40.43.0/24']),
			rule('switches', ['10.40.0.0/16'], { models: ['bw-8p'] }),
			rule('later', ['10.40.0.0/16'], { ordinal: 5 })
		];
		expect(loginFor('10.9.0.1', null, rules)).to.deep.equal({
			id: 'all',
			name: 'all',
			why: '10.0.0.0/8 is the only range that it is in.'
		});
		expect(loginFor('10.40.43.1', 'bw-8p', rules)).to.include({ id: 'lodges' });
		expect(loginFor('10.40.1.1', 'bw-8p', rules)).to.deep.include({
			id: 'switches',
			why: '10.40.0.0/16 is the most specific range that it is in, and it names the model, unlike “lodges”.'
		});
		expect(loginFor('10.40.1.1', null, rules)!.why).to.match(/it comes before “later” in order/);
		expect(loginFor('192.0.2.1', null, rules)).to.equal(null);
		expect(loginFor('no address', null, rules)).to.equal(null);
		expect(loginFor('2001:db8::1', null, [rule('six', ['2001:db8::/32'])])).to.include({ id: 'six' });
	});

	it('does not depend on the order in which they are given', () => {
		const some = fc.uniqueArray(
			fc.record({
				id: fc.string({ minLength: 1, maxLength: 3 }),
				ranges: fc.subarray(['10.0.0.0/8', '10.1.0.0/16', '10.1.2.0/24', '0.0.0.0/0'], { minLength: 1 }),
				models: fc.subarray(['a', 'b']),
				ordinal: fc.nat(2)
			}),
			{ selector: ({ id }) => id, maxLength: 6 }
		);
		fc.assert(
			fc.property(
				some,
				fc.constantFrom('10.1.2.3', '10.1.9.9', '8.8.8.8'),
				fc.constantFrom(null, 'a'),
				(all, at, model) => {
					const rules = all.map((one) => ({ ...one, name: one.id }));
					expect(loginFor(at, model, rules.toReversed())?.id).to.equal(loginFor(at, model, rules)?.id);
				}
			)
		);
	});

	it('tells which part failed', () => {
		expect(failedPart('connect ECONNREFUSED 127.0.0.1:22')).to.equal('port closed');
		expect(failedPart('10.0.0.1 did not answer within 15 s.')).to.equal('unreachable');
		expect(failedPart('All configured authentication methods failed')).to.equal('login');
		expect(failedPart('Its host key is another one than at the first contact.')).to.equal('host key');
		expect(failedPart('Timed out while waiting for handshake')).to.equal('no ssh');
		expect(failedPart('Connection lost before handshake')).to.equal('no ssh');
	});
});
