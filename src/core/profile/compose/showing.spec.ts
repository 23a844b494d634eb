import { expect } from 'chai';
import {
	fieldSchema,
	maskSecrets,
	renderWhole,
	reworks,
	secretsIn,
	secretsOf,
	shownLines,
	type Field,
	type Piece
} from '..';
import * as v from 'valibot';

const field = (name: string, more: object = {}): Field =>
	v.parse(fieldSchema, { name, type: { kind: 'text' }, ...more });
const FIELDS = [
	field('tunnel_key', { type: { kind: 'secret' } }),
	field('name'),
	field('loud', { formula: 'tunnel_key | upcase' })
];
const SECRET = 'hush-hush!9';

function shownOf(text: string, dialect: 'indented' | 'json' = 'indented') {
	const pieces: Piece[] = [{ id: 'p', name: 'p', text, fields: FIELDS }];
	const site = { tunnel_key: SECRET, name: 'Bluff' };
	const result = renderWhole({ dialect, pieces, scoped: { site }, known: {} });
	if (!result.ok) throw new Error(result.problems[0]!.message);
	const secrets = secretsOf(FIELDS, Object.entries(site), result.values);
	return { ...shownLines(result, pieces, secrets), secrets, result, pieces };
}

describe('what people see of a rendering', () => {
	it('has each secret masked where it is written as it is', () => {
		expect(shownOf('key {{ tunnel_key | quoted }} of {{ name }}').shown).to.deep.equal([
			'key "••••••" of Bluff'
		]);
		expect(shownOf('{{ name }}\n').shown).to.deep.equal(['Bluff']);
	});

	it('has nothing of a secret that a text made something else of', () => {
		for (const text of [
			'key {{ tunnel_key | upcase }}',
			'key {{ tunnel_key }} {{ tunnel_key | upcase }}',
			'{% assign t = tunnel_key | upcase %}\nkey {{ t }}',
			'{% assign name = tunnel_key | reverse_it %}'.replace(
				' | reverse_it',
				' | split: "" | reverse | join'
			) + '\nkey {{ name }}',
			'{% capture t %}{{ tunnel_key | upcase }}{% endcapture %}\nkey {{ t }} {{ name }}',
			'{% for c in (0..10) %}\nkey {{ tunnel_key | slice: c }}\n{% endfor %}',
			'key {{ loud }}',
			'key {{ loud | downcase }}',
			'key {% if name %}{{ tunnel_key | slice: 0, 4 }}{% endif %}'
		]) {
			const { shown, hidden, secrets } = shownOf(text);
			const told = shown.join('\n');
			for (const part of ['hush', 'HUSH', 'hsuh', 'ush']) expect(told, text).to.not.include(part);
			expect(told, text).to.include('••••••');
			for (const line of shown) expect(line, text).to.match(/^(key )?/);
			// What was hidden is masked in other texts too
			for (const one of hidden)
				expect(
					maskSecrets(`x ${one} y`, { ...secrets, values: [...hidden, ...secrets.values] })
				).to.not.include(one);
		}
	});

	it('is masked in merged JSON as well', () => {
		const { shown } = shownOf(
			'{ "psk": {{ tunnel_key | upcase | quoted }}, "n": {{ name | quoted }} }',
			'json'
		);
		expect(shown.join('\n')).to.include('••••••').and.not.include('HUSH');
	});

	it('tells what leads to a secret, so that another one in its place is masked in other texts', () => {
		const old = (text: string, other: string, dialect?: 'json') => {
			const { result, pieces, secrets } = shownOf(text, dialect);
			return maskSecrets(other, secretsIn(result, pieces, secrets));
		};
		expect(old('key {{ tunnel_key | quoted }} of {{ name }}', 'key "earlier one" of Bluff')).to.equal(
			'key •••••• of Bluff'
		);
		expect(old('{% assign t = tunnel_key | upcase %}\nkey {{ t }}', 'key EARLIER\nname Bluff')).to.equal(
			'key ••••••\nname Bluff'
		);
		expect(
			old('{\n"door": {\n"key": {{ tunnel_key | quoted }}\n}\n}', '{"door":{"key":"earlier","n":1}}', 'json')
		).to.equal('{"door":{"key":••••••,"n":1}}');
		expect(old('key {{ tunnel_key }}\nname {{ name }}', 'name Nelson')).to.equal('name Nelson');
	});

	it('knows a script that makes something of a secret', () => {
		const names = new Set(['tunnel_key']);
		expect(reworks('set {{ tunnel_key }}', names)).to.equal(false);
		expect(reworks('set {{ tunnel_key | upcase }}', names)).to.equal(true);
		expect(reworks('{% if name %}x{% endif %}', names)).to.equal(false);
	});
});
