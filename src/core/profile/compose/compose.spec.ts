import { expect } from 'chai';
import fc from 'fast-check';
import { Liquid } from 'liquidjs';
import {
	checkPiece,
	portsNeeded,
	renderText,
	renderWhole,
	remarksOn,
	type Composition,
	type Field,
	type Piece
} from '..';

const VALUES = {
	name: 'a1',
	vlan: 20,
	yes: true,
	no: false,
	rows: [{ id: 1 }, { id: 2 }],
	lan: '10.0.0.0/24'
};

/** Source lines of a part: plain ones, with values, and blocks of tags around some. */
const line = fc.oneof(
	fc.stringMatching(/^[a-z]{1,6}( [a-z0-9]{1,6})?$/),
	fc.constantFrom(
		'name {{ name }}',
		'tag {{ vlan }} end',
		'host {{ lan | host: 1 }}',
		'both {{ name }} {{ vlan }}',
		'! {{ name }}'
	)
);
const block = fc
	.record({
		tag: fc.constantFrom(
			['{% if yes %}', '{% endif %}'],
			['{% if no %}', '{% endif %}'],
			['{% for row in rows %}', '{% endfor %}'],
			['  {% unless no %}', '  {% endunless %}']
		),
		lines: fc.array(fc.oneof(line, fc.constant('loop {{ name }}')), { minLength: 0, maxLength: 3 })
	})
	.map(({ tag, lines }) => [tag[0]!, ...lines, tag[1]!]);
const text = fc
	.array(fc.oneof({ weight: 3, arbitrary: line.map((one) => [one]) }, { weight: 1, arbitrary: block }), {
		maxLength: 10
	})
	.map((blocks) => blocks.flat());
const isTag = (source: string) => /^\s*\{%/.test(source);

describe('where a rendered line came from', () => {
	it('is named so that without that source line the line is gone, and every other stays', () => {
		fc.assert(
			fc.property(fc.array(text, { minLength: 1, maxLength: 3 }), fc.nat(), (texts, pick) => {
				const render = (sources: string[][]) => {
					const result = renderWhole({
						dialect: 'indented',
						pieces: sources.map((lines, id) => ({
							id: String(id),
							name: String(id),
							fields: [],
							text: lines.join('\n')
						})),
						scoped: { site: VALUES as never },
						known: {}
					});
					if (!result.ok) throw new Error(JSON.stringify(result.problems));
					return result.lines;
				};
				const lines = render(texts);
				if (lines.length === 0) return;
				const { piece, sources } = lines[pick % lines.length]!;
				expect(sources).to.have.lengthOf(1);
				const source = sources[0]!;
				expect(isTag(texts[piece!]![source - 1]!)).to.equal(false);
				const without = texts.map((one, index) =>
					index === piece ? one.filter((_, at) => at !== source - 1) : one
				);
				expect(render(without).map((one) => one.text)).to.deep.equal(
					lines.filter((one) => one.piece !== piece || one.sources[0] !== source).map((one) => one.text)
				);
			})
		);
	});

	it('leaves the text as LiquidJS alone renders it, but for lines that held nothing but tags', () => {
		const liquid = new Liquid();
		fc.assert(
			fc.property(text, (lines) => {
				const plain = lines.filter((one) => !isTag(one)).filter((one) => !one.includes('|'));
				const ours = renderText(plain.join('\n'), VALUES);
				if (!ours.ok) throw new Error(ours.problems[0]!.message);
				expect(ours.lines.map((one) => one.text).join('\n')).to.equal(
					liquid.parseAndRenderSync(plain.join('\n'), VALUES)
				);
			})
		);
		const tags = renderText(
			'a\n  {% if yes %}{% for row in rows %}\nb\n{% endfor %} {% endif %}\nc{% if yes %} d{% endif %}\n{% comment %}x{% endcomment %}\nlast',
			VALUES
		);
		expect(tags.ok && tags.lines.map((one) => [one.text, ...one.sources])).to.deep.equal([
			['a', 1],
			['b', 3],
			['b', 3],
			['c d', 5],
			['last', 7]
		]);
	});

	it('names the fields that made it, through names of the text’s own and the tags around it', () => {
		const result = renderText(
			'{% assign gate = lan | host: 1 %}\n{% if yes %}\n{% for row in rows %}\nrow {{ row.id }} {{ gate }}\n{% endfor %}\n{% endif %}\nplain {{ site.name }}',
			{ ...VALUES, site: { name: 'x' } }
		);
		expect(result.ok && result.lines.map(({ fields }) => [...fields].sort())).to.deep.equal([
			['lan', 'rows', 'yes'],
			['lan', 'rows', 'yes'],
			['site.name']
		]);
	});

	it('covers each line that a value of several lines makes', () => {
		const result = renderText('a\n{{ two }}\nb', { two: '1\n2' });
		expect(result.ok && result.lines.map((one) => [one.text, ...one.sources])).to.deep.equal([
			['a', 1],
			['1', 2],
			['2', 2],
			['b', 3]
		]);
	});
});

const secret: Field = {
	name: 'key',
	type: { kind: 'secret' },
	description: '',
	example: '',
	need: 'required',
	scope: 'site'
};
const vlan: Field = { ...secret, name: 'vlan', type: { kind: 'vlan' } };
const piece = (name: string, text: string, fields: Field[] = []): Piece => ({ id: name, name, text, fields });
const whole = (pieces: Piece[], more: Partial<Composition> = {}) =>
	renderWhole({ dialect: 'json', pieces, scoped: {}, known: {}, ...more });

describe('composing parts', () => {
	it('merges objects key by key, keeps lists in the parts’ order, and knows where each line is from', () => {
		const result = whole([
			piece('a', '{ "name": "x", "nets": [\n  { "id": 1 } ], "deep": { "one": 1 } }'),
			piece('empty', '{% if nothing %}{}{% endif %}'),
			piece('b', '{\n  "nets": [ { "id": 2 } ],\n  "deep": { "two": 2 }\n}')
		]);
		if (!result.ok) throw new Error(result.problems[0]!.message);
		expect(JSON.parse(result.text)).to.deep.equal({
			name: 'x',
			nets: [{ id: 1 }, { id: 2 }],
			deep: { one: 1, two: 2 }
		});
		const of = (text: string) => result.lines.find((one) => one.text.includes(text))!;
		expect([of('"id": 1').piece, of('"id": 1').sources]).to.deep.equal([0, [2]]);
		expect([of('"two"').piece, of('"two"').sources]).to.deep.equal([2, [3]]);
		expect(result.lines[0]).to.deep.equal({ text: '{', piece: null, sources: [], fields: [] });
	});

	it('names the part and the line of what two parts give, and of what is no text of the dialect', () => {
		const problem = (...pieces: Piece[]) => {
			const result = whole(pieces);
			return result.ok ? null : result.problems[0]!;
		};
		expect(problem(piece('a', '{ "time": 1 }'), piece('b', '{\n"time": 2 }'))).to.include({
			kind: 'conflict',
			piece: 'b',
			line: 2,
			message: 'Another part gives “time” as well.'
		});
		expect(problem(piece('a', '{\n"a": }'))).to.include({ kind: 'dialect', piece: 'a', line: 2 });
		const braced = whole([piece('a', 'x 1;\n'), piece('b', '\ny {')], { dialect: 'braced' });
		expect(braced.ok ? null : braced.problems[0]).to.include({ kind: 'dialect', piece: 'b', line: 2, at: 3 });
	});

	it('names everything that is missing or wrong at once, each where it is to be mended', () => {
		const result = whole(
			[
				piece('a', '{{ key }} {{ vlan }} {{ other }}', [secret, vlan]),
				piece('b', '{{ other }}{% nonsense %}')
			],
			{ scoped: { customer: { vlan: 9000 } } }
		);
		expect(
			result.ok ? [] : result.problems.map(({ kind, field, piece, scope }) => [kind, field, piece, scope])
		).to.deep.equal([
			['missing', 'key', null, 'site'],
			['invalid', 'vlan', null, 'customer'],
			['missing', 'other', 'a', null],
			['broken', null, 'b', null]
		]);
	});

	it('refuses a name that means two things, and takes the stricter need of two', () => {
		const clash = whole([piece('a', '{}', [vlan]), piece('b', '{}', [{ ...secret, name: 'vlan' }])], {
			scoped: { site: { vlan: 5 } }
		});
		expect(clash.ok ? null : clash.problems[0]!.message).to.equal('“vlan” is a vlan in a and a secret in b.');
		const strict = whole([piece('a', '{}', [{ ...vlan, need: 'optional' }]), piece('b', '{}', [vlan])]);
		expect(strict.ok ? null : strict.problems[0]).to.include({ kind: 'missing', field: 'vlan' });
	});

	it('is not taken for too slow because the machine stood still once', () => {
		const now = performance.now.bind(performance);
		let asked = 0;
		// Time jumps once, after the first look at the clock
		performance.now = () => now() + (asked++ === 0 ? 0 : 5_000);
		try {
			const result = renderWhole({
				dialect: 'indented',
				pieces: [piece('a', 'name {{ site.name }}')],
				scoped: {},
				known: { site: { name: 'rata' } }
			});
			expect(result).to.deep.include({ ok: true, text: 'name rata\n' });
			expect(asked).to.be.above(3);
		} finally {
			performance.now = now;
		}
	});

	it('knows what a text needs before any value is there', () => {
		expect(
			portsNeeded('{{ port.uplink }} {% if x %}{{ port.lan }}{% endif %} {{ site.name }}')
		).to.deep.equal(['lan', 'uplink']);
		expect(checkPiece(piece('a', 'x\n{{ vlan }} {{ who }} {{ site.name }}', [vlan]))).to.have.lengthOf(1);
		expect(checkPiece(piece('a', 'x\n{{ who }}'))[0]).to.include({ field: 'who', line: 2, piece: 'a' });
		expect(checkPiece(piece('a', '{% if %}'))[0]).to.include({ kind: 'broken', line: 1 });
	});
});

describe('remarks on a text', () => {
	it('name plain secrets, factory passwords and words that a value could end early, and nothing else', () => {
		const remarks = (text: string, fields: Field[] = []) =>
			remarksOn(piece('a', text, fields)).map(({ kind, line }) => [kind, line]);
		expect(
			remarks(
				'secret admin\npassword "s3cr3t-words"\nsecret {{ key | quoted }}\n"secret": {{ key }}\nno secret'
			)
		).to.deep.equal([
			['factory password', 1],
			['plain secret', 2]
		]);
		const described = { ...secret, description: 'x' };
		expect(
			remarks(
				'place "{{ site.name }}"\nkey "{{ key }}"\nzone "{{ site.time_zone }}"\nkey "{{ key | quoted }}"',
				[described]
			)
		).to.deep.equal([
			['unquoted', 1],
			['unquoted', 2]
		]);
		expect(remarks('nothing', [secret])).to.deep.equal([
			['no description', null],
			['unused field', null]
		]);
	});
});
