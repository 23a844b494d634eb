import { expect } from 'chai';
import fc from 'fast-check';
import {
	alignConfigs,
	compareConfigs,
	NO_RULES,
	parseConfig,
	printConfig,
	type ConfigNode,
	type DialectRules
} from '.';

const rules = (given: Partial<DialectRules>): DialectRules => ({ ...NO_RULES, ...given });

describe('a maker’s rules for its dialect', () => {
	const printed = rules({
		around: ['^Building configuration', '^Current configuration : \\d+ bytes$', '^\\S+# ?show '],
		comments: ['--'],
		ends: ['exit', 'end'],
		ordered: ['filter'],
		volatile: [['clock-drift *'], ['port *', 'last-seen *']],
		salted: [['user *', 'hash *']]
	});
	const RUNNING = `gw-1# show running
Building configuration...
Current configuration : 412 bytes
-- made by nobody
clock-drift 0.31
user admin
  hash 5$abc$def
exit
port wan0
  address 10.0.0.2/24
  last-seen 12:01
end
`;

	it('leave out what only stands around it, every line at its number', () => {
		const reading = parseConfig(RUNNING, 'indented', printed);
		if (!reading.ok) throw new Error(reading.problems[0]!.message);
		expect(reading.tree.map(({ head, line }) => [head, line])).to.deep.equal([
			['clock-drift', 5],
			['user', 6],
			['port', 9]
		]);
		expect(parseConfig(RUNNING, 'indented').ok).to.equal(true);
	});

	it('take for equal what changes by itself, and nothing else', () => {
		const compared = (running: string) =>
			compareConfigs({
				intended: 'user admin\n  hash 5$xyz$uvw\nport wan0\n  address 10.0.0.2/24\n',
				running,
				dialect: 'indented',
				rules: printed
			});
		expect(compared(RUNNING)).to.deep.equal({ ok: true, differences: [] });
		const other = compared(
			RUNNING.replace('10.0.0.2', '10.0.0.9').replace('  hash 5$abc$def\n', '  level 3\n')
		);
		if (!other.ok) throw new Error(other.unreadable[0]!);
		expect(
			other.differences.map(({ kind, intended, running }) => [kind, intended, running])
		).to.have.deep.members([
			['changed', 'address 10.0.0.2/24', 'address 10.0.0.9/24'],
			['missing', 'hash …', null],
			['extra', null, 'level 3']
		]);
		expect(compared('port\n\tx')).to.deep.equal({
			ok: false,
			unreadable: ['The running configuration cannot be read: line 2: A tab in the indentation; use spaces.']
		});
		const aligned = alignConfigs({
			intended: 'a 1\n',
			running: `clock-drift 9\na 1\n`,
			dialect: 'indented',
			rules: printed
		});
		expect(aligned).to.deep.equal({ intended: 'a 1\n', running: 'a 1\n' });
	});

	it('are linear in the text, whatever the patterns', () => {
		const hostile = rules({ around: ['(a+)+$', '(.*)*x$'] });
		const text = `${'a'.repeat(2_000)}!\n`.repeat(100);
		expect(parseConfig(text, 'indented', hostile).ok).to.equal(true);
	});
});

describe('set-lines', () => {
	const tree = (text: string) => {
		const reading = parseConfig(text, 'set');
		if (!reading.ok) throw new Error(`${reading.problems[0]!.line}: ${reading.problems[0]!.message}`);
		return reading.tree;
	};
	const bare = (nodes: readonly ConfigNode[]): unknown =>
		nodes.map(({ head, rest, kind, children }) => [head, rest, kind, bare(children)]);

	it('are blocks inside each other, with a statement at the end of each line', () => {
		expect(
			bare(
				tree('set service ssh\n# a comment\nset service ssh port 22\nset name "gw 1"\nset quiet\nset quiet\n')
			)
		).to.deep.equal([
			['service', 'ssh', 'leaf', []],
			['service', '', 'block', [['ssh', '', 'block', [['port', '22', 'leaf', []]]]]],
			['name', '"gw 1"', 'leaf', []],
			['quiet', '', 'leaf', []]
		]);
		const compared = compareConfigs({
			intended: 'set interfaces eth0 address 10.0.0.1/24\nset interfaces eth0 mtu 1500\n',
			running: 'set interfaces eth0 mtu 1500\nset interfaces eth0 address 10.0.0.9/24\n',
			dialect: 'set',
			rules: NO_RULES
		});
		expect(compared.ok && compared.differences).to.deep.equal([
			{
				path: ['interfaces', 'eth0'],
				kind: 'changed',
				intended: 'address 10.0.0.1/24',
				running: 'address 10.0.0.9/24',
				intendedLine: 1,
				runningLine: 2
			}
		]);
	});

	it('refuse other lines, open quotation marks and ways without end, at their lines', () => {
		for (const [text, line, words] of [
			['set a b\nno c\n', 2, /begins with “set”/],
			['set\n', 1, /Nothing follows/],
			['set a "b\n', 1, /left open/],
			[`set ${'x '.repeat(50)}\n`, 1, /More words/]
		] as const) {
			const reading = parseConfig(text, 'set');
			expect(reading.ok).to.equal(false);
			expect(!reading.ok && reading.problems[0]!.line).to.equal(line);
			expect(!reading.ok && reading.problems[0]!.message).to.match(words);
		}
	});

	it('are the same when they are printed and read again', () => {
		const word = fc.constantFrom('a', 'b', 'c', '10.0.0.1/24', '"d e"');
		fc.assert(
			fc.property(fc.array(fc.array(word, { minLength: 1, maxLength: 5 }), { maxLength: 12 }), (lines) => {
				const read = tree(lines.map((words) => `set ${words.join(' ')}\n`).join(''));
				const again = tree(printConfig(read, 'set'));
				expect(bare(again)).to.deep.equal(bare(read));
			})
		);
	});
});
