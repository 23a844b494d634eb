import { expect } from 'chai';
import { parseConfig, type ConfigNode, type Dialect } from '../../config';
import { ownWords, renderWhole, withOwn, type OwnStatement } from '..';

const node = (text: string, dialect: Dialect): ConfigNode => {
	const reading = parseConfig(text, dialect);
	if (!reading.ok) throw new Error(reading.problems[0]!.message);
	const bare = (one: ConfigNode): ConfigNode => ({ ...one, line: 0, children: one.children.map(bare) });
	return bare(reading.tree[0]!);
};
const TEXTS: Readonly<Record<'indented' | 'braced' | 'json' | 'xml' | 'set', string>> = {
	indented: '! a comment\nhost {{ name }}\nport lan1\n  mtu 1500\nntp {{ server }}',
	braced: 'host {{ name }};\nport lan1 {\n\tmtu 1500;\n}\nntp {{ server }};',
	json: '{ "host": "{{ name }}", "port": { "mtu": 1500 },\n "ntp": "{{ server }}" }',
	xml: '<host xmlns="urn:a">{{ name }}</host>\n<port xmlns="urn:a"><mtu>1500</mtu><speed>10</speed></port>\n<ntp xmlns="urn:a">{{ server }}</ntp>',
	set: 'set sys host {{ name }}\nset port lan1 mtu 1500\nset sys ntp {{ server }}'
};
const rendered = (dialect: keyof typeof TEXTS, own: readonly OwnStatement[]) =>
	renderWhole({
		dialect,
		pieces: [
			{
				id: 'a',
				name: 'a',
				text: TEXTS[dialect],
				fields: ['name', 'server'].map((name) => ({
					name,
					type: { kind: 'text' },
					description: '',
					example: '',
					need: 'required',
					scope: 'site'
				}))
			}
		],
		scoped: { site: { name: 'rata', server: 'time.example' } },
		known: {},
		own
	});
const all = (own: readonly OwnStatement[]) => own;

describe('a position’s own text', () => {
	for (const [dialect, block, away, comes] of [
		['indented', 'port lan1', 'mtu 1500', 'mtu 1400'],
		['braced', 'port lan1', 'mtu 1500', 'mtu 1400;'],
		['set', 'port', 'lan1', 'set mtu 1400']
	] as const)
		it(`comes into its block, in the place of what goes, and the rest knows where it is from: ${dialect}`, () => {
			const own: OwnStatement = {
				path: dialect === 'set' ? ['port', 'lan1'] : [block],
				away: dialect === 'set' ? 'mtu 1500' : away,
				comes: node(comes, dialect),
				after: null
			};
			const result = rendered(dialect, [own]);
			if (!result.ok) throw new Error(result.problems[0]!.message);
			expect(result.text).to.include('1400').and.not.include('1500');
			const line = (words: string) => result.lines.find(({ text }) => text.includes(words))!;
			expect(line('1400')).to.deep.include({ piece: null, isOwn: true });
			expect(line('rata')).to.deep.include({ piece: 0, fields: ['name'] });
			expect(line('time.example')).to.deep.include({ piece: 0, fields: ['server'] });
			expect(result.lines.map(({ text }) => `${text}\n`).join('')).to.equal(result.text);
		});

	it('does so where lines are printed in another form: json and xml', () => {
		const json = rendered('json', [
			{ path: ['port'], away: 'mtu 1500', comes: node('{"mtu": 1400}', 'json'), after: null }
		]);
		if (!json.ok) throw new Error(json.problems[0]!.message);
		expect(JSON.parse(json.text)).to.deep.equal({ host: 'rata', port: { mtu: 1400 }, ntp: 'time.example' });
		expect(json.lines.find(({ text }) => text.includes('time.example'))).to.deep.include({
			piece: 0,
			fields: ['server']
		});
		const xml = rendered('xml', [{ path: ['{urn:a}port'], away: 'mtu 1500', comes: null, after: null }]);
		if (!xml.ok) throw new Error(xml.problems[0]!.message);
		expect(xml.text).to.not.include('1500');
		expect(xml.lines.find(({ text }) => text.includes('time.example'))).to.deep.include({
			piece: 0,
			fields: ['server']
		});
	});

	it('is the same done twice, and nothing without statements', () => {
		const reading = parseConfig('a 1\nb\n  c 2', 'indented');
		if (!reading.ok) throw new Error('unread');
		const own = all([
			{ path: [], away: 'a 1', comes: node('a 2', 'indented'), after: null },
			{ path: ['b'], away: null, comes: node('d 3', 'indented'), after: 'c 2' },
			{ path: ['b'], away: 'c 2', comes: null, after: null }
		]);
		const once = withOwn(reading.tree, own);
		if (!once.ok) throw new Error(once.message);
		expect(withOwn(once.tree, own)).to.deep.equal(once);
		expect(withOwn(reading.tree, [])).to.deep.equal({ ok: true, tree: reading.tree });
		expect(own.map(ownWords)).to.deep.equal([
			'“a 2” in the place of “a 1”',
			'in b: “d 3”',
			'in b: without “c 2”'
		]);
	});

	it('stands elsewhere as its profile says it by then, and where it was once its profile has it no more', () => {
		const tree = (text: string) => {
			const reading = parseConfig(text, 'indented');
			if (!reading.ok) throw new Error('unread');
			return reading.tree;
		};
		const moves = (away: string, after: string): OwnStatement => ({
			path: ['filter'],
			away,
			comes: null,
			after,
			moves: true
		});
		const inside = (text: string, own: OwnStatement) => {
			const result = withOwn(tree(`filter\n${text}`), [own, own]);
			if (!result.ok) throw new Error(result.message);
			return result.tree[0]!.children.map(({ head, rest }) => `${head} ${rest}`);
		};
		const three = '  a 1\n  b 2\n  c 3';
		expect(inside(three, moves('c 3', ''))).to.deep.equal(['c 3', 'a 1', 'b 2']);
		expect(inside(three, moves('a 1', 'b 2'))).to.deep.equal(['b 2', 'a 1', 'c 3']);
		expect(inside(three, moves('d 4', 'a 1'))).to.deep.equal(['a 1', 'b 2', 'c 3']);
		expect(inside(three, moves('b 2', 'gone'))).to.deep.equal(['a 1', 'b 2', 'c 3']);
		expect([moves('c 3', ''), moves('a 1', 'b 2')].map(ownWords)).to.deep.equal([
			'in filter: “c 3” first',
			'in filter: “a 1” behind “b 2”'
		]);
	});

	it('is a problem where its block is gone', () => {
		const result = rendered('indented', [
			{ path: ['port lan9'], away: null, comes: node('mtu 9000', 'indented'), after: null }
		]);
		expect(result.ok ? '' : result.problems[0]!.message).to.match(
			/belongs into “port lan9”, which its profile no longer has/
		);
	});
});
