import { expect } from 'chai';
import fc from 'fast-check';
import { broughtTo, compareTrees as compareBy, statementOf, type ConfigTree, treeDifferences } from '.';
import {
	blocksAreNamed,
	by,
	compareTrees,
	inOrderOf,
	lineTree,
	jsonText,
	read,
	reversed
} from './config-making';

describe('comparing configurations', () => {
	it('finds none to itself, in any order', () => {
		fc.assert(
			fc.property(lineTree, (tree) => {
				expect(compareTrees(tree, tree)).to.deep.equal([]);
				expect(compareTrees(tree, reversed(tree))).to.deep.equal([]);
			})
		);
	});

	it('can be put in the order of another without becoming another', () => {
		fc.assert(
			fc.property(lineTree, lineTree, (intended, running) => {
				const aligned = inOrderOf(intended, running);
				expect(compareTrees(running, aligned)).to.deep.equal([]);
				expect(inOrderOf(running, reversed(running)).map(statementOf)).to.deep.equal(
					running.map(statementOf)
				);
			})
		);
	});

	it('finds something between two that mean different things, and the same the other way round', () => {
		const mirror = { missing: 'extra', extra: 'missing', changed: 'changed', order: 'order' } as const;
		fc.assert(
			fc.property(lineTree, lineTree, (left, right) => {
				const there = compareTrees(left, right);
				const back = compareTrees(right, left);
				expect(back.map(({ kind }) => mirror[kind]).sort()).to.deep.equal(
					there.map(({ kind }) => kind).sort()
				);
			})
		);
	});

	it('says what is missing, what is extra and what changed, and where', () => {
		const intended = read('port wan0\n  address dhcp\n  label up\nntp a\nntp b', 'indented');
		const running = read('ntp b\nport wan0\n  address 10.0.0.1/24\ndebug all', 'indented');
		const found = compareTrees(intended, running).map(({ path, kind, intended: should, running: is }) => [
			path.join(' / '),
			kind,
			should,
			is
		]);
		expect(found).to.have.deep.members([
			['port wan0', 'changed', 'address dhcp', 'address 10.0.0.1/24'],
			['port wan0', 'missing', 'label up', null],
			['', 'missing', 'ntp a', null],
			['', 'extra', null, 'debug all']
		]);
	});

	it('minds the order where order matters', () => {
		const rules = (first: string, second: string) =>
			read(`filter guest\n  ${first}\n  ${second}`, 'indented');
		const [a, b] = [rules('deny lan', 'allow any'), rules('allow any', 'deny lan')];
		expect(compareTrees(a, b)).to.deep.equal([]);
		expect(compareTrees(a, b, by('indented', ['filter']))[0]).to.deep.include({
			kind: 'order',
			path: ['filter guest']
		});
		expect(
			compareTrees(read('{"a":[1,2]}', 'json'), read('{"a":[2,1]}', 'json'), by('json'))[0]!.kind
		).to.equal('order');
		expect(compareTrees(read('{"a":1,"b":2}', 'json'), read('{"b":2,"a":1}', 'json'))).to.deep.equal([]);
	});

	it('says a wrong order also where other lines differ, with the fewest moves', () => {
		const filter = (...rules: string[]) =>
			read(`filter guest\n${rules.map((one) => `  ${one}\n`).join('')}`, 'indented');
		const found = compareTrees(
			filter('deny lan', 'deny hub', 'allow dns', 'allow any'),
			filter('allow any', 'deny lan', 'allow dns', 'log all'),
			by('indented', ['filter'])
		);
		expect(
			found.map(({ kind, intended, running, after }) => [kind, intended ?? running, after])
		).to.deep.equal([
			['missing', 'deny hub', undefined],
			['extra', 'log all', undefined],
			['order', 'allow any', 'allow dns']
		]);
	});

	it('moves no more than has to be moved', () => {
		const nodes = fc.uniqueArray(fc.nat(40), { maxLength: 12 });
		fc.assert(
			fc.property(nodes, fc.infiniteStream(fc.nat(1000)), (numbers, chance) => {
				const shuffled = numbers
					.map((number) => [chance.next().value as number, number])
					.sort(([a], [b]) => a! - b!)
					.map(([, number]) => number!);
				const block = (list: readonly number[]) =>
					read(`a\n${list.map((one) => ` r ${one}\n`).join('')}`, 'indented');
				// By trying every subsequence of the intended order
				let longest = 0;
				for (let kept = 0; kept < 2 ** numbers.length; kept++) {
					const some = numbers.filter((_, at) => kept & (1 << at)).map((one) => shuffled.indexOf(one));
					if (some.every((place, at) => at === 0 || some[at - 1]! < place))
						longest = Math.max(longest, some.length);
				}
				expect(compareTrees(block(numbers), block(shuffled), by('indented', ['a']))).to.have.lengthOf(
					numbers.length - longest
				);
			}),
			{ numRuns: 60 }
		);
	});

	it('tells the items of a list apart by their key, and names the one that is gone', () => {
		const json = (value: unknown) => read(JSON.stringify(value), 'json');
		const networks = (...items: object[]) => json({ networks: items });
		const [staff, guest, till] = [
			{ ssid: 'Staff', vlan: 10, hidden: false },
			{ ssid: 'Guests', vlan: 20, hidden: false },
			{ ssid: 'Till', vlan: 30, hidden: true }
		];
		const words = (a: ConfigTree, b: ConfigTree, keys = {}) =>
			compareTrees(a, b, by('json', [], keys)).map(({ kind, path, intended, running }) => [
				kind,
				path.join('/'),
				intended,
				running
			]);
		expect(words(networks(staff, guest, till), networks(staff, till))).to.deep.equal([
			['missing', 'networks', 'ssid "Guests"', null]
		]);
		expect(
			words(networks(staff, guest, till), networks({ ...guest, vlan: 21 }, staff, till))
		).to.have.deep.members([
			['changed', 'networks/ssid "Guests"', 'vlan 20', 'vlan 21'],
			['order', 'networks', 'ssid "Staff"', 'ssid "Staff"']
		]);
		expect(
			words(networks(staff, guest), networks(staff, { ...guest, ssid: 'Visitors' }), { networks: ['vlan'] })
		).to.deep.equal([['changed', 'networks/20', 'ssid "Guests"', 'ssid "Visitors"']]);
		// Nothing names them: by what they have in common
		expect(
			words(
				json({
					a: [
						{ x: 1, y: 1, z: 1 },
						{ x: 1, y: 2, z: 2 }
					]
				}),
				json({
					a: [
						{ x: 1, y: 2, z: 3 },
						{ x: 1, y: 1, z: 1 }
					]
				})
			)
		).to.have.deep.members([
			['changed', 'a/x 1', 'z 2', 'z 3'],
			['order', 'a', 'x 1', 'x 1']
		]);
	});

	it('compares numbers and quoted words by value', () => {
		const json = (text: string) => read(text, 'json');
		expect(compareTrees(json('{"a":1.0,"b":"\\u0041"}'), json('{"a":1,"b":"A"}'), by('json'))).to.deep.equal(
			[]
		);
		expect(
			compareTrees(json('{"a":12345678901234567890}'), json('{"a":12345678901234567891}'), by('json'))
		).to.have.lengthOf(1);
		expect(compareTrees(read('name "main"', 'indented'), read('name main', 'indented'))).to.deep.equal([]);
		expect(compareTrees(read('release 1.10', 'indented'), read('release 1.1', 'indented'))).to.have.lengthOf(
			1
		);
		expect(compareTrees(read('name "a b"', 'indented'), read('name a b', 'indented'))).to.have.lengthOf(1);
	});

	it('puts right what is chosen and leaves the rest', () => {
		const json = jsonText.map((text) => ({ tree: read(text, 'json'), rules: by('json') }));
		const headsOf = (tree: ConfigTree): string[] =>
			tree.flatMap(({ head, children }) => [head, ...headsOf(children)]);
		const lines = lineTree.map((tree) => ({ tree, rules: by('indented') }));
		const inOrder = lineTree.map((tree) => ({ tree, rules: by('indented', headsOf(tree)) }));
		for (const some of [json, lines, inOrder])
			fc.assert(
				fc.property(
					some,
					some,
					fc.infiniteStream(fc.boolean()),
					({ tree: intended, rules }, { tree: running }, coin) => {
						expect(
							compareBy(
								intended,
								broughtTo(intended, running, rules, () => true),
								rules
							)
						).to.deep.equal([]);
						expect(
							compareBy(
								running,
								broughtTo(intended, running, rules, () => false),
								rules
							)
						).to.deep.equal([]);
						const chosen = new Set<string>();
						const name = (one: object) => JSON.stringify(one);
						const told = treeDifferences(intended, running, rules);
						const brought = broughtTo(intended, running, rules, (one) => {
							if (!coin.next().value) return false;
							chosen.add(name(one));
							return true;
						});
						expect([...chosen].every((one) => told.some((other) => name(other) === one))).to.equal(true);
						// Of items that nothing names, others may belong together once some are put right
						const isNamed = [intended, running].every(blocksAreNamed);
						if (isNamed && told.every(({ said }) => said.kind !== 'order'))
							expect(compareBy(intended, brought, rules).length).to.be.at.most(told.length);
					}
				)
			);
	});
});
