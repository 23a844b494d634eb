import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import {
	checkText,
	explainValues,
	isSecretName,
	LARGEST_OUTPUT,
	MASK,
	maskSecrets,
	MOST_TAGS,
	renderText,
	resolveValues,
	SCOPES,
	valuesSchema
} from '.';

const known = { site: { name: 'Queen Street' }, limen: { port: 4330 } };
const rendered = (text: string, values: Record<string, unknown> = {}) => {
	const result = renderText(text, { ...values, ...known });
	return result.ok ? { ok: true, text: result.lines.map((line) => line.text).join('\n') } : result;
};
const problems = (text: string, values: Record<string, unknown> = {}) => {
	const result = renderText(text, { ...values, ...known });
	return result.ok ? [] : result.problems;
};

describe('rendering', () => {
	it('puts values and what Limen knows into the text', () => {
		expect(
			rendered('hostname {{ hostname }}\nhome {{ limen.port }} ! {{ site.name }}', { hostname: 'a' })
		).to.deep.equal({
			ok: true,
			text: 'hostname a\nhome 4330 ! Queen Street'
		});
	});

	it('names every missing value at once, with its place, and only those that are used', () => {
		const found = problems(
			'{{ a }}\n{{ b }} {{ a }}\n{% if no %}{{ unused }}{% endif %}{{ site.fax | upcase }}\n{{ x.y }}',
			{ no: false }
		);
		expect(found.map(({ kind, field, line }) => [kind, field, line])).to.deep.equal([
			['missing', 'a', 1],
			['missing', 'b', 2],
			['missing', 'site.fax', 3],
			['missing', 'x', 4]
		]);
		expect(known.site).to.deep.equal({ name: 'Queen Street' });
	});

	it('names the line and column of a broken tag, an unknown filter, a file drawn in', () => {
		expect(checkText('ok\n  {% if a %}')[0]).to.deep.include({ kind: 'broken', line: 2, column: 3 });
		expect(checkText('{{ a | nonsense }}')[0]).to.deep.include({ kind: 'broken', line: 1 });
		expect(problems('{{ a | nonsense }}', { a: 1 })[0]!.kind).to.equal('broken');
		expect(problems('{% include "package.json" %}')[0]!.message).to.match(/Other files/);
		expect(checkText('{{ fine }}')).to.deep.equal([]);
	});

	it('stops endless loops and huge outputs', () => {
		expect(problems('{% for i in (1..1000000000) %}x{% endfor %}')[0]!.kind).to.equal('limit');
		const nested = '{% for i in (1..900) %}{% for j in (1..900) %}xxxxxxxx{% endfor %}{% endfor %}';
		expect(problems(nested)[0]!.kind).to.equal('limit');
		expect(problems('{{ a }}'.repeat(200), { a: 'x'.repeat(LARGEST_OUTPUT / 100) })[0]!.kind).to.equal(
			'limit'
		);
	});

	it('refuses more tags than it reads at once, and takes as many as that', () => {
		for (const tag of ['{{ a }}', '{% assign b = a %}']) {
			expect(checkText(tag.repeat(MOST_TAGS))).to.deep.equal([]);
			expect(checkText(tag.repeat(MOST_TAGS + 1))[0]!.message).to.match(/2,000 tags and values at most/);
		}
	});

	it('gives no way to the inside of the program', () => {
		for (const name of [
			'constructor',
			'__proto__',
			'site.constructor',
			'site.__proto__',
			'toString',
			'hasOwnProperty'
		])
			expect(problems(`{{ ${name} }}`)[0], name).to.deep.include({ kind: 'missing' });
	});

	it('lets no field shadow what Limen knows', () => {
		expect(rendered('{{ site.name }}', { site: 'mine' })).to.deep.equal({
			ok: true,
			text: 'Queen Street'
		});
	});
});

describe('values', () => {
	const values = fc.dictionary(
		fc.stringMatching(/^[a-c]$/),
		fc.oneof(fc.string(), fc.integer(), fc.boolean())
	);
	const scoped = fc.record(
		{ profile: values, customer: values, site: values, position: values },
		{ requiredKeys: [] }
	);

	it('are those of the narrowest scope that gives them', () => {
		fc.assert(
			fc.property(scoped, (given) => {
				const resolved = resolveValues(given);
				for (const { name, value, scope, instead } of explainValues(given)) {
					expect(resolved[name]).to.equal(value);
					const narrower = SCOPES.slice(SCOPES.indexOf(scope) + 1);
					for (const other of narrower) expect(given[other] ?? {}).to.not.have.property(name);
					for (const other of instead) expect(other.value).to.not.equal(value);
				}
			})
		);
	});

	it('have plain names', () => {
		expect(v.is(valuesSchema, { lan_prefix: '10.0.0.0/24', guest: true, vlan: 20 })).to.equal(true);
		for (const name of ['__proto__x', 'Lan', 'a b', '1a', ''])
			expect(v.is(valuesSchema, { [name]: 1 }), name).to.equal(false);
	});
});

describe('masking', () => {
	it('hides what follows a word for a secret, in each dialect, and nothing else', () => {
		expect(maskSecrets('{ "ssid": "a", "secret": "b c\\"d", "vlan": 2 }')).to.equal(
			`{ "ssid": "a", "secret": ${MASK}, "vlan": 2 }`
		);
		expect(maskSecrets('tunnel secret abc\nhostname x')).to.equal(`tunnel secret ${MASK}\nhostname x`);
		expect(maskSecrets('peer { password "x"; }')).to.equal(`peer { password ${MASK}; }`);
		expect(maskSecrets('hostname secretary')).to.equal('hostname secretary');
		expect([isSecretName('guest_secret'), isSecretName('hostname')]).to.deep.equal([true, false]);
	});
});
