import { expect } from 'chai';
import fc from 'fast-check';
import { NO_RULES, type Dialect } from '../config';
import {
	ownWords,
	renderWhole,
	type Field,
	type OwnStatement,
	type Values,
	NOTHING_UNSHOWN
} from '../profile';
import { acceptedInto, findingsBetween, ownStatement, putRight, valuesBehind, type Place } from '.';

const NOWHERE: Place = { grammar: null, names: {}, own: {}, particular: [], secrets: NOTHING_UNSHOWN };
const field = (name: string, more: Partial<Field> = {}): Field => ({
	name,
	type: { kind: 'text' },
	description: '',
	example: '',
	need: 'required',
	scope: 'site',
	...more
});
const FIELDS: readonly Field[] = [
	field('hostname'),
	field('server'),
	field('place'),
	field('first', { type: { kind: 'address', version: 4 } }),
	field('last', { type: { kind: 'address', version: 4 } }),
	field('key', { type: { kind: 'secret' } }),
	field('ranges', { type: { kind: 'list', of: { kind: 'prefix', version: 4 } } })
];
const TEXTS: Readonly<Partial<Record<Dialect, string>>> = {
	indented: `host {{ hostname }}
place {{ place | quoted }}
port lan1
  hand-out {{ first }} {{ last }}
filter in
{% for range in ranges %}
  accept ssh from {{ range }}
{% endfor %}
  drop everything
ntp {{ server }}
tunnel a
  secret {{ key | quoted }}`,
	json: `{ "name": "{{ hostname }}", "place": {{ place | quoted }}, "time": "{{ server }}",
  "hand-out": { "first": "{{ first }}", "last": "{{ last }}" },
  "networks": [
    { "ssid": {{ place | quoted }}, "vlan": 20 }
  ],
  "secret": {{ key | quoted }},
  "from": [{% for range in ranges %}
    "{{ range }}"{% unless forloop.last %},{% endunless %}{% endfor %}
  ]
}`
};
const rendered = (values: Values, dialect: Dialect) => {
	const result = renderWhole({
		dialect,
		pieces: [{ id: 'a', name: 'a', text: TEXTS[dialect]!, fields: FIELDS }],
		scoped: { site: values },
		known: {}
	});
	if (!result.ok) throw new Error(JSON.stringify(result.problems));
	return result;
};
const rules = { ...NO_RULES, keys: { networks: ['vlan'] } };
const findings = (intended: string, running: string, dialect: Dialect) => {
	const looked = findingsBetween({ intended, running, dialect, rules }, NOWHERE);
	if (!looked.ok) throw new Error(looked.words);
	return looked.findings;
};
const range = (at: number) => `10.${at}.0.0/16`;
const values = (tag: string) =>
	fc.record({
		hostname: fc.stringMatching(/^[a-z]{3,8}$/).map((text) => `${tag}h-${text}`),
		server: fc.stringMatching(/^[a-z.]{3,8}$/).map((text) => `${tag}s.${text}x`),
		place: fc.constantFrom('Main road', 'The "old" mill', 'Quay\\31').map((text) => `${tag} ${text}`),
		first: fc.nat(200).map((last) => `192.0.2.${last}`),
		last: fc.nat(200).map((last) => `198.51.100.${last}`),
		key: fc.stringMatching(/^[a-z]{8}$/).map((text) => `${tag}-${text}`),
		ranges: fc
			.uniqueArray(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 3 })
			.map((all) => all.sort().map(range))
	});

describe('accepting what runs', () => {
	for (const dialect of ['indented', 'json'] as const)
		it(`leads to the values with which the rendering says what runs: ${dialect}`, () => {
			fc.assert(
				fc.property(
					values('a'),
					values('b'),
					fc.subarray(FIELDS.map(({ name }) => name).filter((name) => name !== 'ranges')),
					(before, other, changed) => {
						const after = {
							...before,
							...Object.fromEntries(changed.map((name) => [name, other[name as 'hostname']]))
						};
						const [was, runs] = [rendered(before, dialect), rendered(after, dialect)];
						const accepted: Record<string, string> = {};
						for (const { key } of findings(was.text, runs.text, dialect)) {
							const behind = valuesBehind({ rendered: was, running: runs.text, dialect, rules, key });
							for (const { field: name, now } of behind ?? []) accepted[name] = now;
						}
						expect(
							findings(rendered({ ...before, ...accepted }, dialect).text, runs.text, dialect)
						).to.deep.equal([]);
					}
				)
			);
		});

	it('finds one more, or one less, of a list that a loop goes through', () => {
		const before = {
			hostname: 'h-one',
			server: 's.one',
			place: 'Quay',
			first: '192.0.2.1',
			last: '192.0.2.9',
			key: 'hushhush',
			ranges: [range(1), range(2)]
		};
		const behind = (ranges: readonly string[]) => {
			const [was, runs] = [
				rendered(before, 'indented'),
				rendered({ ...before, ranges: [...ranges] }, 'indented')
			];
			const found = findings(was.text, runs.text, 'indented');
			return found.map(({ key }) =>
				valuesBehind({ rendered: was, running: runs.text, dialect: 'indented', rules, key })
			);
		};
		expect(behind([range(1), range(2), range(7)])).to.deep.equal([
			[{ field: 'ranges', was: '10.1.0.0/16, 10.2.0.0/16', now: '10.1.0.0/16, 10.2.0.0/16, 10.7.0.0/16' }]
		]);
		expect(behind([range(2)])).to.deep.equal([
			[{ field: 'ranges', was: '10.1.0.0/16, 10.2.0.0/16', now: '10.2.0.0/16' }]
		]);
	});

	it('claims no value for what no value explains', () => {
		const before = {
			hostname: 'h-one',
			server: 's.one',
			place: 'Quay',
			first: '192.0.2.1',
			last: '192.0.2.9',
			key: 'hushhush',
			ranges: [range(1)]
		};
		const was = rendered(before, 'indented');
		const behind = (from: string, to: string) => {
			const running = was.text.replace(from, to);
			const [one] = findings(was.text, running, 'indented');
			return valuesBehind({ rendered: was, running, dialect: 'indented', rules, key: one!.key });
		};
		expect(behind('ntp s.one', 'ntp s.one prefer')).to.equal(null);
		expect(behind('drop everything', 'drop nothing')).to.equal(null);
		expect(behind('ntp s.one', 'banner hello')).to.equal(null);
	});

	it('follows what runs statement by statement where the order counts, in whatever turn they are accepted', () => {
		const ordered = { ...NO_RULES, ordered: ['filter'] };
		const text = (statements: readonly string[]) =>
			`host a\nfilter in\n${statements.map((one) => `  ${one}\n`).join('')}ntp b\n`;
		const pool = ['permit a', 'permit b', 'deny c', 'permit d', 'deny e', 'rate 10', 'permit f'];
		// One that both have, so that the block is never empty
		const chosen = fc
			.shuffledSubarray(pool, { minLength: 1 })
			.map((some) => (some.includes('permit f') ? some : [...some, 'permit f']));
		fc.assert(
			fc.property(
				chosen,
				chosen,
				fc.integer({ min: 10, max: 12 }),
				fc.infiniteStream(fc.nat(100)),
				(said, runs, rate, turns) => {
					const running = text(runs.map((one) => one.replace('rate 10', `rate ${rate}`)));
					const own: OwnStatement[] = [];
					const next = () => {
						const pieces = [{ id: 'a', name: 'a', text: text(said), fields: [] }];
						const result = renderWhole({
							dialect: 'indented',
							pieces,
							scoped: {},
							known: {},
							own,
							rules: ordered
						});
						if (!result.ok) throw new Error(JSON.stringify(result.problems));
						return result.text;
					};
					const left = (intended: string) => {
						const looked = findingsBetween(
							{ intended, running, dialect: 'indented', rules: ordered },
							NOWHERE
						);
						if (!looked.ok) throw new Error(looked.words);
						return looked.findings;
					};
					for (let intended = next(), open = left(intended); open.length > 0;) {
						const { key } = open[turns.next().value! % open.length]!;
						const two = { intended, running, dialect: 'indented' as const, rules: ordered };
						expect(left(acceptedInto(two, new Set([key]))!).map((one) => one.key)).to.not.include(key);
						own.push(ownStatement({ ...two, key })!);
						intended = next();
						open = left(intended);
						expect(
							open.map((one) => one.key),
							own.map(ownWords).join('; ')
						).to.not.include(key);
						expect(own.length).to.be.at.most(3 * pool.length);
					}
				}
			)
		);
	});

	it('makes what runs the intention, there and nowhere else; putting right is its opposite', () => {
		fc.assert(
			fc.property(values('a'), values('b'), fc.infiniteStream(fc.boolean()), (before, after, coin) => {
				const [intended, running] = [rendered(before, 'indented').text, rendered(after, 'indented').text];
				const all = findings(intended, running, 'indented');
				const accepted = new Set(all.filter(() => coin.next().value).map(({ key }) => key));
				const two = { intended, running, dialect: 'indented' as const, rules };
				const next = acceptedInto(two, accepted)!;
				const left = findings(next, running, 'indented').length;
				expect(left).to.equal(all.length - accepted.size);
				const brought = putRight(two, (key) => !accepted.has(key))!;
				expect(findings(next, brought, 'indented')).to.deep.equal([]);
			})
		);
	});
});
