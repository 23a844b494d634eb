import { expect } from 'chai';
import fc from 'fast-check';
import { learn, type Learnt, type LearntFrom } from '..';
import type { Dialect } from '../../config';

const lodge = (n: number, more = '', time = 'time.example') => `hostname lodge${n}-gw
location "Lodge ${n}"
port wan0
  label "uplink"
  use dhcp
port lan0
  label "rooms"
  address 10.${n}.0.1/24
  hand-out 10.${n}.0.20 to 10.${n}.0.254
time-server ${time}
route 10.${n}.0.0/24 to hub
password "pa ss${n * 7919}x"
${more}`;
const units = (count: number, text: (n: number) => string): LearntFrom[] =>
	Array.from({ length: count }, (_, at) => ({ id: `u${at + 1}`, text: text(at + 1) }));
const from = (given: readonly LearntFrom[], dialect: Dialect = 'indented'): Learnt =>
	learn({ dialect, units: given });
const allHold = (learnt: Learnt) =>
	expect(
		learnt.proofs.filter(({ holds }) => !holds),
		JSON.stringify(learnt.proofs.find(({ holds }) => !holds)) + learnt.text
	).to.deep.equal([]);
const fieldOf = (learnt: Learnt, name: string) => learnt.fields.find((field) => field.name === name);

describe('learning a profile', () => {
	it('makes text of what all share, fields of what differs, and formulas of what follows from it', () => {
		const learnt = from(units(12, (n) => lodge(n)));
		allHold(learnt);
		expect(learnt.text).to.equal(`hostname {{ hostname }}
location {{ location | quoted }}
port wan0
  label "uplink"
  use dhcp
port lan0
  label "rooms"
  address {{ address }}
  hand-out {{ hand_out }} to {{ hand_out_to }}
time-server time.example
route {{ route }} to hub
password {{ password | quoted }}
`);
		expect(
			Object.fromEntries(learnt.fields.map(({ name, formula }) => [name, formula ?? null]))
		).to.deep.equal({
			address: 'route | offset: 1',
			hand_out: 'route | host: 20',
			hand_out_to: 'route | host: -1',
			hostname: 'location | split: " " | last | prepend: "lodge" | append: "-gw"',
			location: null,
			password: null,
			route: null
		});
		expect(fieldOf(learnt, 'route')!.type).to.deep.equal({ kind: 'prefix', version: 4 });
		expect(fieldOf(learnt, 'password')!.type.kind).to.equal('secret');
		expect(learnt.values['u3']).to.deep.equal({
			location: 'Lodge 3',
			route: '10.3.0.0/24',
			password: 'pa ss23757x'
		});
		expect(learnt.length.after).to.be.below(learnt.length.before / 2);
		expect(learnt.questions).to.deep.equal([]);
	});

	it('takes what Limen knows of the place before any field', () => {
		const learnt = from(
			units(6, (n) => lodge(n)).map((unit, at) => ({ ...unit, known: { site: { name: `Lodge ${at + 1}` } } }))
		);
		allHold(learnt);
		expect(fieldOf(learnt, 'location')!.formula).to.equal('site.name');
		expect(fieldOf(learnt, 'hostname')!.formula).to.match(/^site\.name/);
	});

	it('asks about what few have in another way, alone or not at all', () => {
		const learnt = from(
			units(12, (n) =>
				n === 5
					? lodge(n, 'debug all\n')
					: n === 7
						? lodge(n, '', 'clock.elsewhere')
						: n === 9
							? lodge(n).replace('  use dhcp\n', '')
							: lodge(n)
			)
		);
		allHold(learnt);
		const asked = learnt.questions.map(({ kind, units: whose, path, usual }) => [
			kind,
			whose.join(),
			path.join(' › '),
			usual
		]);
		expect(asked).to.deep.equal([
			['not here', 'u9', 'port › use dhcp', 'use dhcp'],
			['only here', 'u5', 'debug all', ''],
			['other value', 'u7', 'time-server', 'time.example']
		]);
		expect(fieldOf(learnt, 'time_server')!.fallback).to.equal('time.example');
		expect(learnt.text).to.not.include('debug');
		expect(learnt.proofs.filter(({ own }) => own.length > 0).map(({ id }) => id)).to.have.members([
			'u5',
			'u9'
		]);
	});

	it('makes conditions of what some have, one for all that comes together', () => {
		const guests = (n: number) =>
			`network guests\n  tag ${n * n + 30}\n  address 10.${n}.9.1/24\nallow guests\n`;
		const learnt = from(units(10, (n) => lodge(n, n % 2 === 0 ? guests(n) : '')));
		allHold(learnt);
		expect(learnt.text.match(/\{% if \w+ %\}/g)).to.have.length(2);
		expect(new Set(learnt.text.match(/\{% if \w+ %\}/g)).size).to.equal(1);
		expect(learnt.fields.filter(({ type }) => type.kind === 'yes or no')).to.have.length(1);
		expect(fieldOf(learnt, 'tag')!.need).to.equal('optional');
		// What stands in it follows from what all have
		expect(learnt.fields.map(({ formula }) => formula)).to.include('route | offset: 2305');
	});

	it('keeps a secret out of the text, also where all have the same', () => {
		const learnt = from(units(5, (n) => lodge(n).replace(/password .*/, 'password "the same for all"')));
		allHold(learnt);
		expect(learnt.text).to.not.include('the same');
		expect(JSON.stringify(learnt.fields)).to.not.include('the same');
	});

	it('keeps what others call a secret out of the text, wherever it stands in its statement', () => {
		const learnt = from(
			units(
				5,
				(n) =>
					`hostname r${n}\nsnmp community watch-${n} ro\nlogin ops password 7 08224${n}5D\nwireless passphrase "by the lake"\nkey psk same-for-all mode 2\n`
			)
		);
		allHold(learnt);
		expect(learnt.text).to.match(/^snmp community \{\{ \w+ \}\} ro$/m);
		expect(learnt.text).to.match(/^login ops password 7 \{\{ \w+ \}\}$/m);
		for (const secret of ['watch', '08224', 'lake', 'same-for-all'])
			expect(JSON.stringify([learnt.text, learnt.fields])).not.to.contain(secret);
		expect(learnt.fields.filter(({ type }) => type.kind === 'secret')).to.have.length(4);
		expect(learnt.fields.filter(({ formula }) => formula !== undefined)).to.deep.equal([]);
	});

	it('tells several of one kind apart by what most share, else by their order', () => {
		const text = (n: number) =>
			`port lan1\n  tag 10\nport lan2\n  tag ${n + 20}\nserver 192.0.2.${n}\nserver 192.0.2.${n + 50}\nserver 198.51.100.1\n`;
		const learnt = from(units(5, text));
		allHold(learnt);
		expect(learnt.text).to.include('server 198.51.100.1');
		expect(learnt.text).to.include('port lan1\n  tag 10\n');
	});

	it('reads JSON, braces and XML alike', () => {
		const json = (n: number) =>
			JSON.stringify({
				name: `ap-${n}`,
				radio: { channel: n % 3 === 0 ? 6 : 11, power: 20 },
				networks: [
					{ ssid: 'staff', vlan: 10 },
					{ ssid: `guest ${n}`, vlan: 30 }
				]
			});
		const learnt = from(units(8, json), 'json');
		allHold(learnt);
		expect(learnt.text).to.include('"ssid": {{ ');
		const braced = (n: number) =>
			`identity {\n  name gw-${n};\n}\nwire up0 {\n  address 10.0.${n}.2/30;\n}\n${n % 2 ? 'relay on;\n' : ''}`;
		allHold(from(units(8, braced), 'braced'));
		const xml = (n: number) =>
			`<system xmlns="urn:x"><hostname>sw &amp; ${n}</hostname><port><name>p1</name><vlan>${n + 10}</vlan></port></system>`;
		const switches = from(units(6, xml), 'xml');
		allHold(switches);
		expect(switches.text).to.match(/<hostname>\{\{ hostname \| xml \}\}<\/hostname>/);
	});

	it('says what cannot be read, and of what is not the language of profiles that it is text', () => {
		const learnt = from([
			...units(3, (n) => lodge(n, 'banner {{ x }} {% if %}\n')),
			{ id: 'bad', text: 'port "open\n' }
		]);
		allHold(learnt);
		expect(learnt.unread.map(({ id }) => id)).to.deep.equal(['bad']);
		expect(from([]).proofs).to.deep.equal([]);
		const one = from(units(1, (n) => lodge(n)));
		allHold(one);
		expect(one.fields.map(({ name }) => name)).to.deep.equal(['password']);
	});

	it('proves every unit, whatever they run, in whichever order they come', () => {
		const word = fc.constantFrom(
			'a',
			'b',
			'c',
			'10',
			'20',
			'10.0.0.1',
			'10.0.0.0/24',
			'"x y"',
			'server',
			'port'
		);
		const statement = fc.array(word, { minLength: 1, maxLength: 4 }).map((words) => words.join(' '));
		const block = fc
			.tuple(statement, fc.array(statement, { minLength: 1, maxLength: 3 }))
			.map(([head, inner]) => `${head}\n${inner.map((one) => `  ${one}\n`).join('')}`);
		const text = fc
			.array(
				fc.oneof(
					statement.map((one) => `${one}\n`),
					block
				),
				{ maxLength: 6 }
			)
			.map((all) => all.join(''));
		fc.assert(
			fc.property(fc.array(text, { minLength: 1, maxLength: 7 }), (texts) => {
				const given = texts.map((one, at) => ({ id: `u${at}`, text: one }));
				const learnt = from(given);
				for (const proof of learnt.proofs)
					expect(
						proof.holds || proof.left.length + proof.problems.length > 0,
						JSON.stringify(proof)
					).to.equal(true);
				const turned = from([...given].reverse());
				expect(turned.text).to.equal(learnt.text);
				expect(turned.fields).to.deep.equal(learnt.fields);
			}),
			{ numRuns: 60 }
		);
	});
});
