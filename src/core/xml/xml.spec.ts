import { expect } from 'chai';
import fc from 'fast-check';
import { compareConfigs, NO_RULES, parseConfig, printConfig, type ConfigNode } from '../config';
import { elementsAt, parseXml, printXml, type XmlElement } from '.';

const read = (text: string): readonly XmlElement[] => {
	const reading = parseXml(text);
	if (!reading.ok) throw new Error(`${reading.line}: ${reading.message}`);
	return reading.elements;
};
const bare = ({ line: _, children, ...element }: XmlElement): unknown => ({
	...element,
	children: children.map(bare)
});

describe('XML', () => {
	it('is read by namespace and name, whatever the prefixes', () => {
		const one = read(
			'<?xml version="1.0"?>\n<a xmlns="urn:a" xmlns:i="urn:i" x="1">\n  <b> i:eth </b><i:c/>\n</a>'
		);
		const other = read(
			'<p:a xmlns:p="urn:a" x="1"><p:b xmlns:q="urn:i">q:eth</p:b><c xmlns="urn:i"></c></p:a>'
		);
		expect(one.map(bare)).to.deep.equal(other.map(bare));
		expect(one[0]).to.deep.include({ name: 'a', namespace: 'urn:a', line: 2 });
		expect(one[0]!.children[0]).to.deep.include({ text: 'eth', textNamespace: 'urn:i' });
		expect(elementsAt(one, 'a/b').map(({ text }) => text)).to.deep.equal(['eth']);
		expect(elementsAt(one, 'a/z')).to.deep.equal([]);
		expect(read('<t>02:5a:1f</t>')[0]).to.deep.include({ text: '02:5a:1f', textNamespace: null });
	});

	it('is refused at its line when it is none, or more than anything needs', () => {
		for (const [text, line, words] of [
			['<a>\n<b></a>', 2, /./],
			['<!DOCTYPE a [<!ENTITY b "c">]><a/>', 1, /document type/],
			['<a>&b;</a>', 1, /entity/],
			['<a>x<b/></a>', 1, /beside the elements/],
			['x', 1, /outside/],
			['<a', 1, /./],
			['<p:a/>', 1, /./],
			['<a>'.repeat(1_000_000), 1, /too deep/],
			[`<a>${'<b/>'.repeat(200_001)}</a>`, 1, /Too many/]
		] as const) {
			const reading = parseXml(text);
			expect(reading.ok, text.slice(0, 40)).to.equal(false);
			expect(!reading.ok && reading.line).to.equal(line);
			expect(!reading.ok && reading.message).to.match(words);
		}
	});

	const name = fc.constantFrom('a', 'b', 'server');
	const text = fc.constantFrom('', 'x', 'a < b & "c"', '02:5a', '10.0.0.1/24', 'é');
	const elementOf = (depth: number): fc.Arbitrary<XmlElement> =>
		fc.record({
			name,
			namespace: fc.constantFrom('', 'urn:a', 'urn:b'),
			attributes: fc.array(
				fc.record({ name: fc.constant('op'), namespace: fc.constantFrom('', 'urn:n'), value: text }),
				{ maxLength: 1 }
			),
			children: depth === 0 ? fc.constant([]) : fc.array(elementOf(depth - 1), { maxLength: 3 }),
			text,
			textNamespace: fc.constant(null),
			line: fc.constant(0)
		});
	const proper = (one: XmlElement): XmlElement => ({
		...one,
		text: one.children.length > 0 ? '' : one.text,
		children: one.children.map(proper)
	});

	it('is the same when it is printed and read again', () => {
		fc.assert(
			fc.property(elementOf(3).map(proper), (one) => {
				expect(read(printXml(one)).map(bare)).to.deep.equal([bare(one)]);
			})
		);
	});
});

describe('the XML dialect', () => {
	const rules = { ...NO_RULES, keys: { interface: ['name'], address: ['ip'] }, ordered: ['search'] };
	const PORTS = `<interfaces xmlns="urn:if"><interface><name>eth0</name><enabled>true</enabled>
  <address><ip>10.0.0.1</ip><prefix-length>24</prefix-length></address></interface></interfaces>`;

	it('knows an entry of a list by its keys, in any order and with any prefixes', () => {
		const running = `<x:interfaces xmlns:x="urn:if"><x:interface><x:address><x:prefix-length>25</x:prefix-length><x:ip>10.0.0.1</x:ip></x:address>
  <x:enabled>true</x:enabled><x:name>eth0</x:name></x:interface></x:interfaces>`;
		const compared = compareConfigs({ intended: PORTS, running, dialect: 'xml', rules });
		expect(compared.ok && compared.differences).to.deep.equal([
			{
				path: ['{urn:if}interfaces', 'interface eth0', 'address 10.0.0.1'],
				kind: 'changed',
				intended: 'prefix-length 24',
				running: 'prefix-length 25',
				intendedLine: 2,
				runningLine: 1
			}
		]);
	});

	it('takes what two parts say of one container or entry for one', () => {
		const two = `${PORTS}\n<interfaces xmlns="urn:if"><interface><name>eth0</name><note>up</note></interface></interfaces>`;
		const reading = parseConfig(two, 'xml', rules);
		if (!reading.ok) throw new Error(reading.problems[0]!.message);
		expect(reading.tree).to.have.length(1);
		expect(reading.tree[0]!.children).to.have.length(1);
		expect(reading.tree[0]!.children[0]!.children.map(({ head }) => head)).to.deep.equal([
			'name',
			'enabled',
			'address',
			'note'
		]);
	});

	it('is linear in how often the same block comes back', () => {
		const many = parseConfig('<a><b><c>1</c></b></a>'.repeat(20_000), 'xml');
		if (!many.ok) throw new Error(many.problems[0]!.message);
		expect(many.tree).to.have.length(1);
		expect(many.tree[0]!.children[0]!.children.map(({ rest }) => rest)).to.deep.equal(['1']);
		// What stands twice in one text is meant twice
		const twice = parseConfig('<a><s>x</s><s>x</s></a>', 'xml');
		expect(twice.ok && twice.tree[0]!.children).to.have.length(2);
	});

	it('is refused at its line, and is the same when it is printed and read again', () => {
		const broken = parseConfig('<a>\n<b>\n</a>', 'xml');
		expect(!broken.ok && broken.problems[0]!.line).to.equal(3);
		const plain = (nodes: readonly ConfigNode[]): unknown =>
			nodes.map(({ head, rest, kind, children }) => [head, rest, kind, plain(children)]);
		for (const text of [
			PORTS,
			'<a xmlns="urn:a"><type xmlns:i="urn:i">i:eth</type><b xmlns="urn:b" op="x">text</b><c/></a><d>1 &lt; 2</d>',
			''
		]) {
			const reading = parseConfig(text, 'xml', rules);
			if (!reading.ok) throw new Error(reading.problems[0]!.message);
			const again = parseConfig(printConfig(reading.tree, 'xml'), 'xml', rules);
			expect(again.ok && plain(again.tree)).to.deep.equal(plain(reading.tree));
		}
	});
});
