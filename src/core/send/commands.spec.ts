import { expect } from 'chai';
import { NO_RULES, type ConfigTree } from '../config';
import { commandsFor, type ChangeWords } from '.';

/** As the maker's manual page says it. */
const WORDS: ChangeWords = {
	enter: 'at {statement}',
	leave: 'up',
	add: 'put {statement}',
	remove: 'drop {statement}',
	change: 'swap {old} => {new}',
	after: 'place {statement} => {other}',
	first: 'place {statement} => first'
};
const rules = { ...NO_RULES, ordered: ['filter'] };
const dialect = 'indented' as const;
const commands = (
	running: string,
	intended: string,
	strands: (tree: ConfigTree) => readonly string[] = () => []
) => commandsFor({ running, intended, dialect, rules }, WORDS, strands);

describe('the commands from one configuration to another', () => {
	it('touch nothing that is equal', () => {
		for (const text of ['', 'host a\nfilter in\n  accept b\n  deny all', 'port a\n  mtu 1\nport b'])
			expect(commands(text, text)).to.deep.equal({ ok: true, commands: [] });
		const running = 'host a\nport wan0\n  mtu 1500\n  note x\nfilter in\n  accept b\n  deny all\nntp old';
		const intended =
			'host a\nport wan0\n  mtu 1400\n  note x\nfilter in\n  accept a\n  accept b\n  deny all\nsegment guests\n  tag 20';
		expect(commands(running, intended)).to.deep.equal({
			ok: true,
			commands: [
				'at port wan0',
				'swap mtu 1500 => mtu 1400',
				'up',
				'at segment guests',
				'put tag 20',
				'up',
				'at filter in',
				'put accept a',
				'place accept a => first',
				'up',
				'drop ntp old'
			]
		});
	});

	it('keep a statement where it stands in a block whose order counts, also where it is changed by adding the new one', () => {
		const without: ChangeWords = { ...WORDS, change: undefined };
		const two = {
			running: 'filter in\n  deny\n  log f',
			intended: 'filter in\n  deny d\n  log f\n  mtu'
		};
		expect(commandsFor({ ...two, dialect, rules }, without, () => [])).to.deep.equal({
			ok: true,
			commands: [
				'at filter in',
				'put deny d',
				'place deny d => first',
				'drop deny',
				'put mtu',
				'place mtu => log f',
				'up'
			]
		});
	});

	it('leave the way in at every step, or say that it cannot be', () => {
		const needs =
			(...heads: string[]) =>
			(tree: ConfigTree) =>
				heads.some((head) => tree.some((one) => one.head === head))
					? []
					: ['The unit would be without its home.'];
		const made = commands('home a', 'beacon b\nhost x', needs('home', 'beacon'));
		expect(made).to.deep.equal({ ok: true, commands: ['put beacon b', 'put host x', 'drop home a'] });
		// One that may not have both
		const both = (tree: ConfigTree) =>
			tree.filter(({ head }) => head === 'home' || head === 'beacon').length === 1
				? []
				: ['Two homes are none.'];
		expect(commands('home a', 'beacon b\nhost x', both)).to.deep.equal({
			ok: false,
			why: 'On the way it could not be reached any more: Two homes are none.'
		});
	});

	it('say why the whole has to be replaced', () => {
		const twins = 'port a\n  mtu 1\nport a\n  mtu 2';
		expect(commands('host a', twins)).to.deep.include({ ok: false });
		const plain: ChangeWords = { ...WORDS, after: undefined, first: undefined };
		const swapped = ['filter in\n  accept a\n  accept b', 'filter in\n  accept b\n  accept a'] as const;
		expect(
			commandsFor({ running: swapped[0], intended: swapped[1], dialect, rules }, plain, () => [])
		).to.deep.equal({
			ok: false,
			why: 'The order of a block changes, and its maker has no words for that.'
		});
		const many = Array.from({ length: 600 }, (_, at) => `w${at} x`).join('\n');
		expect(commands('', many)).to.deep.equal({ ok: false, why: 'It differs in 600 places.' });
		expect(commands('a "b', 'a')).to.deep.equal({ ok: false, why: 'What it runs cannot be read at line 1.' });
	});

	it('name the whole way where a maker has no blocks to go into', () => {
		const set = (text: string) => text;
		const made = commandsFor(
			{
				running: set('set system name a\nset port eth0 mtu 1500\nset port eth1 off'),
				intended: set('set system name b\nset port eth0 mtu 1500\nset ntp server x'),
				dialect: 'set',
				rules: NO_RULES
			},
			{ add: 'set {way} {statement}', remove: 'delete {way} {statement}' },
			() => []
		);
		expect(made).to.deep.equal({
			ok: true,
			commands: ['set system name b', 'delete system name a', 'set ntp server x', 'delete port eth1 off']
		});
	});
});
