import { expect } from 'chai';
import fc from 'fast-check';
import { circlesAmong, resolveFields, SCOPES, type Field, type ScopedValues, type Scope } from '..';

const field = (name: string, more: Partial<Field> = {}): Field => ({
	name,
	type: { kind: 'number' },
	description: '',
	example: '',
	need: 'required',
	scope: 'site',
	...more
});

describe('the value of a field', () => {
	const names = ['a', 'b', 'c'];
	const given = fc.dictionary(
		fc.constantFrom(...names),
		fc.oneof(fc.integer({ min: 0, max: 9 }), fc.constant('no number'))
	);
	const scoped = fc.record(
		{ profile: given, customer: given, site: given, position: given },
		{ requiredKeys: [] }
	) as fc.Arbitrary<ScopedValues>;

	it('is that of the narrowest scope that gives one, else the formula’s, else the one used otherwise', () => {
		fc.assert(
			fc.property(scoped, fc.boolean(), fc.boolean(), (values, hasFormula, hasFallback) => {
				const fields = names.map((name) =>
					field(
						name,
						name === 'c'
							? { ...(hasFormula && { formula: '7' }), ...(!hasFormula && hasFallback && { fallback: '8' }) }
							: {}
					)
				);
				const { values: resolved, problems } = resolveFields(fields, values, {});
				for (const { name, formula, fallback } of fields) {
					const giving = SCOPES.filter((scope) => Object.hasOwn(values[scope] ?? {}, name));
					const narrowest = giving.at(-1) as Scope | undefined;
					const found = resolved.get(name);
					if (narrowest && typeof values[narrowest]![name] === 'number') {
						expect(found).to.include({ value: values[narrowest]![name], source: narrowest });
						// What it differs from is each wider value that is another
						expect(found!.instead.map(({ scope }) => scope)).to.deep.equal(
							giving.slice(0, -1).filter((scope) => values[scope]![name] !== found!.value)
						);
					} else if (narrowest) {
						expect(found).to.equal(undefined);
						expect(problems).to.deep.include({
							kind: 'invalid',
							field: name,
							scope: narrowest,
							message: problems.find((one) => one.field === name)!.message
						});
					} else if (formula) expect(found).to.include({ value: 7, source: 'formula' });
					else if (fallback) expect(found).to.include({ value: 8, source: 'otherwise' });
					else
						expect(problems.find((one) => one.field === name)).to.include({ kind: 'missing', scope: 'site' });
				}
			})
		);
	});

	it('is computed from others in whatever order they are declared', () => {
		const fields = [
			field('gateway', { type: { kind: 'address' }, formula: 'lan | host: 1', need: 'optional' }),
			field('lan', { type: { kind: 'prefix' }, formula: 'range | subnet: 24, number' }),
			field('number'),
			field('range', { type: { kind: 'prefix' } })
		];
		fc.assert(
			fc.property(fc.shuffledSubarray(fields, { minLength: 4, maxLength: 4 }), (shuffled) => {
				const { values, problems } = resolveFields(
					shuffled,
					{ customer: { range: '10.40.0.0/16' }, site: { number: 12 } },
					{}
				);
				expect(problems).to.deep.equal([]);
				expect(values.get('gateway')).to.include({ value: '10.40.12.1', source: 'formula' });
			})
		);
		// Given by hand, it is what was given
		expect(
			resolveFields(fields, { site: { lan: '10.9.0.0/24', number: 1, range: '10.0.0.0/8' } }, {}).values.get(
				'gateway'
			)!.value
		).to.equal('10.9.0.1');
	});

	it('is no value when its formula refers to itself, reads what is missing, or gives what does not fit', () => {
		const problems = (fields: Field[], scoped: ScopedValues = {}) =>
			resolveFields(fields, scoped, {}).problems.map(({ field, message }) => `${field}: ${message}`);
		expect(
			problems([field('a', { formula: 'b' }), field('b', { formula: 'a' }), field('d', { formula: 'd' })])
		).to.deep.equal([
			'a: Its formula refers to itself: a → b → a.',
			'b: Its formula refers to itself: a → b → a.',
			'd: Its formula refers to itself: d → d.'
		]);
		// What is missing is named once, by itself
		expect(problems([field('a', { formula: 'b' }), field('b')])).to.deep.equal(['b: “b” has no value.']);
		expect(problems([field('a', { formula: 'nobody' })])[0]).to.include('reads “nobody”, which has no value');
		expect(problems([field('a', { formula: '"x"' })])[0]).to.include('gives a value that does not fit');
		expect(problems([field('a', { formula: '"x" | host: 1' })])[0]).to.include('“x” is no address');
		expect(problems([field('a', { need: 'optional' })])).to.deep.equal([]);
		expect(circlesAmong([field('a', { formula: 'b' }), field('b')])).to.deep.equal([]);
	});

	it('that is a list which may be left out is empty to loop over', () => {
		const list = field('ranges', { type: { kind: 'list', of: { kind: 'prefix' } }, need: 'optional' });
		const { scope, values, problems } = resolveFields([list, field('plain', { need: 'optional' })], {}, {});
		expect(scope).to.deep.equal({ ranges: [] });
		expect([values.size, problems.length]).to.deep.equal([0, 0]);
	});

	it('that nothing declares is there as it was given', () => {
		expect(resolveFields([], { site: { old: 'x' } }, {}).scope).to.deep.include({ old: 'x' });
	});
});
