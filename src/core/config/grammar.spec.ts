import { readdirSync, readFileSync } from 'node:fs';
import { expect } from 'chai';
import * as v from 'valibot';
import { strandingOf, strandingWords, strands } from '../profile';
import {
	grammarSchema,
	LIFELINES,
	nodesAt,
	parseConfig,
	rejectedLines,
	type ConfigTree,
	type Dialect,
	type Grammar
} from '.';

const FOLDER = new URL('../../../demo/packs/', import.meta.url);
const GRAMMARS = new Map(
	readdirSync(FOLDER).flatMap((file) => {
		const { firmware } = JSON.parse(readFileSync(new URL(file, FOLDER), 'utf8'));
		return Object.entries(firmware as Record<string, { grammar: unknown }>).map(
			([line, { grammar }]) => [line, v.parse(grammarSchema, grammar)] as const
		);
	})
);
const grammar = (line: string): Grammar => GRAMMARS.get(line)!;
const tree = (text: string, dialect: Dialect): ConfigTree => {
	const reading = parseConfig(text, dialect);
	if (!reading.ok) throw new Error(reading.problems[0]!.message);
	return reading.tree;
};
const names = {
	'port.uplink': 'wan0',
	'limen.call_home_host': 'limen.example',
	'limen.call_home_port': 4081
};

const REACHABLE = `name-server 192.0.2.53
time-server time.example
port wan0
  obtain-address
filter from-uplink
  drop everything
caretaker limen
  public-key "ssh-ed25519 AAAA"
dial-home
  host limen.example
  port 4081
`;

describe('a published grammar', () => {
	it('names every line that firmware would refuse, with its reason', () => {
		const rejected = rejectedLines(
			tree(
				'hostname ok\nport wan9\nport wan0\n  own-address 10.0.0.1\n  dance\ntime-server a\n  inner b\n',
				'indented'
			),
			grammar('veltrane-branch')
		);
		expect(rejected).to.deep.equal([
			{ line: 2, message: '“wan9” is no port after “port”.' },
			{ line: 4, message: '“10.0.0.1” is no prefix after “own-address” inside “port wan0”.' },
			{ line: 5, message: 'This model does not know the word “dance” inside “port wan0”.' },
			{ line: 6, message: '“time-server” opens no block.' }
		]);
		expect(rejectedLines(tree('constructor x\n', 'indented'), grammar('veltrane-branch'))).to.have.lengthOf(
			1
		);
		expect(
			rejectedLines(tree('port wan0\n  obtain-address now\n', 'indented'), grammar('veltrane-branch'))[0]!
				.message
		).to.include('Nothing may follow');
	});

	it('finds what a path leads to, and nothing for a name that stands for nothing', () => {
		const config = tree(REACHABLE, 'indented');
		expect(nodesAt(config, ['port {port.uplink}', 'obtain-address'], names)).to.have.lengthOf(1);
		expect(nodesAt(config, ['time-server *'], names)).to.have.lengthOf(1);
		expect(nodesAt(config, ['time-server'], names)).to.have.lengthOf(0);
		expect(nodesAt(config, ['port {port.other}'], names)).to.have.lengthOf(0);
	});
});

describe('the way back to a unit', () => {
	const stranding = (text: string) => strandingOf(tree(text, 'indented'), grammar('veltrane-branch'), names);

	it('is there when every lifeline is', () => {
		expect(strands(stranding(REACHABLE))).to.equal(false);
		const fixed = REACHABLE.replace('obtain-address', 'own-address 192.0.2.2/30');
		expect(stranding(fixed).lost).to.deep.equal(['route']);
		expect(strands(stranding(`${fixed}route default via 192.0.2.1\n`))).to.equal(false);
	});

	it('is lost with each of its lines', () => {
		const lines = REACHABLE.trimEnd().split('\n');
		const lost = lines.map((line, index) => {
			// A head goes with what it holds
			const end = line.startsWith(' ')
				? index + 1
				: lines.findIndex((other, at) => at > index && !other.startsWith(' '));
			const without = [...lines.slice(0, index), ...lines.slice(end < 0 ? lines.length : end)];
			return [line.trim(), stranding(`${without.join('\n')}\n`).lost.join()];
		});
		expect(lost).to.deep.equal([
			['name-server 192.0.2.53', 'names'],
			['time-server time.example', 'time'],
			['port wan0', 'uplink,route'],
			['obtain-address', 'uplink,route'],
			['filter from-uplink', ''],
			['drop everything', ''],
			['caretaker limen', 'login'],
			['public-key "ssh-ed25519 AAAA"', 'login'],
			['dial-home', 'home'],
			['host limen.example', 'home'],
			['port 4081', 'home']
		]);
		expect(new Set(lost.flatMap(([, one]) => one!.split(',').filter(Boolean)))).to.deep.equal(
			new Set(LIFELINES.filter((one) => lost.some(([, gone]) => gone!.includes(one))))
		);
	});

	it('is lost when it leads to somebody else, or a statement cuts it', () => {
		expect(stranding(REACHABLE.replace('limen.example', 'elsewhere.example')).lost).to.deep.equal(['home']);
		expect(
			strandingWords(stranding(REACHABLE.replace('obtain-address', 'obtain-address\n  off')))
		).to.deep.equal(['Line 5: It switches the uplink off.']);
	});
});
