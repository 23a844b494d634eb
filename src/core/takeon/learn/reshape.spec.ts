import { expect } from 'chai';
import fc from 'fast-check';
import { learn, reshape, type Learning, type LearntChoice } from '..';

const NAMES = ['bay', 'cove', 'dale', 'fern', 'glen', 'holt', 'knoll', 'lea'];
/** Eight lodges: one has another time server, one another ISP's name in one of two places, half have a guest network. */
const lodge = (n: number) => `hostname ${NAMES[n]}-gw
location "${NAMES[n]}"
uplink isp-${n % 3}
label isp-${n === 5 ? 9 : n % 3}
time-server ${n === 3 ? 'time.other' : 'time.example'}
route 10.${n}.0.0/24 to hub
address 10.${n}.0.1
password "pa ss${n * 7919}x"
${n % 2 === 0 ? 'network guests\n  vlan 30\n' : ''}`;
const learning: Learning = {
	dialect: 'indented',
	units: NAMES.map((name, n) => ({ id: name, text: lodge(n) }))
};
const learnt = learn(learning);
const shaped = (...choices: LearntChoice[]) => reshape(learning, learnt, choices);
const owns = ({ learnt: { proofs } }: ReturnType<typeof shaped>) =>
	proofs.filter(({ own }) => own.length > 0).map(({ id }) => id);
const allHold = ({ learnt: { proofs } }: ReturnType<typeof shaped>) =>
	expect(proofs.filter(({ holds }) => !holds)).to.deep.equal([]);
const named = ({ learnt: { fields } }: ReturnType<typeof shaped>, name: string) =>
	fields.find((one) => one.name === name);

describe('a profile that was learnt, as somebody wants it', () => {
	it('has fields under other names, also where others follow from them', () => {
		const source = learnt.fields.find(({ formula }) => formula?.includes('route'))!;
		const result = shaped({ kind: 'rename', field: 'route', to: 'lan' });
		allHold(result);
		expect(result.problems).to.deep.equal([]);
		expect(named(result, 'route')).to.equal(undefined);
		expect(result.learnt.text).to.contain('route {{ lan }} to hub');
		expect(named(result, source.name)!.formula).to.contain('lan').and.not.contain('route');
		expect(result.learnt.values['cove']).to.include({ lan: '10.1.0.0/24' });
		expect(shaped({ kind: 'rename', field: 'route', to: 'password' }).problems[0]).to.contain('already');
	});

	it('keeps filters and quoted words that are called like a field', () => {
		const given = {
			dialect: 'indented' as const,
			units: ['a', 'b', 'c', 'd'].map((one, n) => ({
				id: one,
				text: `host 10.${n}.0.0/24\nown 10.${n}.0.1/24\nfirst "${one}x ${n}"\nshown "${one}x first"\n`
			}))
		};
		const from = learn(given);
		for (const field of ['host', 'first']) {
			const result = reshape(given, from, [{ kind: 'rename', field, to: 'renamed' }]);
			allHold(result);
			expect(owns(result)).to.deep.equal([]);
			for (const { name, formula } of result.learnt.fields) {
				const before = from.fields.find((one) => one.name === (name === 'renamed' ? field : name))!.formula;
				expect(formula).to.equal(before?.replace(new RegExp(`^${field}\\b`), 'renamed'));
			}
		}
	});

	it('has what most have as text, and leaves the others theirs', () => {
		const result = shaped({ kind: 'constant', field: 'time_server' });
		allHold(result);
		expect(result.learnt.text).to.contain('time-server time.example');
		expect(owns(result)).to.deep.equal(['fern']);
		const condition = learnt.fields.find(({ type }) => type.kind === 'yes or no')!.name;
		const without = shaped({ kind: 'constant', field: condition });
		allHold(without);
		expect(without.learnt.text).not.to.contain('{% if');
		expect(owns(without)).to.have.length(4);
		expect(shaped({ kind: 'constant', field: 'password' }).problems).to.deep.equal([
			'A secret stands in no text.'
		]);
		// What followed from it is given
		const base = shaped({ kind: 'constant', field: 'route' });
		allHold(base);
		expect(named(base, 'address')).not.to.have.property('formula');
	});

	it('has two fields as one, and what differs as statements of its own', () => {
		expect(learnt.fields.map(({ name }) => name)).to.include.members(['label', 'uplink']);
		const result = shaped({ kind: 'merge', field: 'label', into: 'uplink' });
		allHold(result);
		expect(result.learnt.text).to.contain('uplink {{ uplink }}\nlabel {{ uplink }}');
		expect(owns(result)).to.deep.equal(['holt']);
		expect(shaped({ kind: 'merge', field: 'label', into: 'password' }).problems).to.have.length(1);
	});

	it('has a place as a field of its own, and gives what followed from another', () => {
		const same = {
			dialect: 'indented' as const,
			units: ['a1', 'b2', 'c3'].map((name) => ({ id: name, text: `hostname ${name}\nlabel ${name}\n` }))
		};
		const split = reshape(same, learn(same), [
			{ kind: 'split', field: 'hostname', place: 1, to: 'shown' },
			{ kind: 'split', field: 'hostname', place: 0, to: 'more' }
		]);
		allHold(split);
		expect(split.learnt.text).to.equal('hostname {{ hostname }}\nlabel {{ shown }}\n');
		expect(split.problems).to.have.length(1);
		expect(split.learnt.values['b2']).to.deep.equal({ hostname: 'b2', shown: 'b2' });
		const given = shaped({ kind: 'give', field: 'address' });
		allHold(given);
		expect(given.learnt.values['cove']).to.include({ address: '10.1.0.1' });
		expect(named(shaped({ kind: 'scope', field: 'route', scope: 'site' }), 'route')!.scope).to.equal('site');
	});

	it('is proved or names what is left, whatever is chosen, and is as it was without a choice', () => {
		expect(shaped()).to.deep.equal({ learnt, problems: [] });
		const field = fc.constantFrom(...learnt.fields.map(({ name }) => name), 'gone');
		const choice: fc.Arbitrary<LearntChoice> = fc.oneof(
			fc.record({ kind: fc.constant('rename' as const), field, to: fc.constantFrom('x', 'y', 'route') }),
			fc.record({ kind: fc.constant('constant' as const), field }),
			fc.record({ kind: fc.constant('merge' as const), field, into: field }),
			fc.record({ kind: fc.constant('give' as const), field }),
			fc.record({
				kind: fc.constant('split' as const),
				field,
				place: fc.nat(2),
				to: fc.constantFrom('p', 'q')
			})
		);
		fc.assert(
			fc.property(fc.array(choice, { maxLength: 5 }), (choices) => {
				const { learnt: result } = shaped(...choices);
				for (const proof of result.proofs)
					expect(proof.holds || proof.left.length + proof.problems.length > 0).to.equal(true);
				expect(result.text).not.to.match(/pa ss/);
			}),
			{ numRuns: 60 }
		);
	});
});
