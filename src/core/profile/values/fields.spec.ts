import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import {
	lookAlike,
	nameProblem,
	fieldSchema,
	fieldsSchema,
	readValue,
	writeValue,
	type FieldType,
	type SimpleType
} from '..';

const read = (type: FieldType, text: unknown) => {
	const reading = readValue(type, text);
	return reading.ok ? reading.value : reading.message;
};
const octet = fc.nat(255);
const ipv4 = fc.tuple(octet, octet, octet, octet).map((octets) => octets.join('.'));
const SAMPLES: readonly [SimpleType, fc.Arbitrary<string>][] = [
	[{ kind: 'hostname' }, fc.stringMatching(/^[A-Za-z0-9]([A-Za-z0-9-]{0,20}[A-Za-z0-9])?$/)],
	[{ kind: 'address' }, fc.oneof(ipv4, fc.ipV6())],
	[{ kind: 'prefix', version: 4 }, fc.nat(255).map((n) => `10.${n}.0.0/16`)],
	[{ kind: 'interface address', version: 4 }, fc.tuple(ipv4, fc.nat(32)).map((parts) => parts.join('/'))],
	[{ kind: 'vlan' }, fc.integer({ min: 1, max: 4094 }).map(String)],
	[{ kind: 'asn' }, fc.integer({ min: 1, max: 4_294_967_295 }).map((n) => (n % 2 ? `AS${n}` : String(n)))],
	[{ kind: 'number', least: -5, most: 5 }, fc.integer({ min: -5, max: 5 }).map(String)],
	[{ kind: 'choice', choices: ['North', 'South'] }, fc.constantFrom('north', 'SOUTH')],
	[{ kind: 'yes or no' }, fc.constantFrom('yes', 'No', 'TRUE', '0')],
	[{ kind: 'text', pattern: '[a-z]+' }, fc.stringMatching(/^[a-z]{1,9}$/)],
	[{ kind: 'secret' }, fc.string({ minLength: 8, maxLength: 30, unit: 'grapheme-ascii' })],
	[{ kind: 'mac' }, fc.constantFrom('02-1A-00-00-00-01', '021a.0000.0001')],
	[{ kind: 'url' }, fc.webUrl()],
	[{ kind: 'duration' }, fc.constantFrom('90s', '15M', '1h30m', '2d')]
];

describe('values of fields', () => {
	for (const [type, sample] of SAMPLES)
		it(`that are a ${type.kind}: what is written is read as the same value`, () => {
			fc.assert(
				fc.property(sample, (text) => {
					const first = readValue(type, text);
					if (!first.ok) throw new Error(`${text}: ${first.message}`);
					expect(readValue(type, writeValue(first.value))).to.deep.equal(first);
					expect(readValue({ kind: 'list', of: type }, [text, text])).to.deep.equal({
						ok: true,
						value: [first.value, first.value]
					});
				})
			);
		});

	it('read nothing that is of another type, and never throw', () => {
		fc.assert(
			fc.property(fc.constantFrom(...SAMPLES.map(([type]) => type)), fc.anything(), (type, given) => {
				const reading = readValue(type, given);
				if (reading.ok) expect(readValue(type, reading.value)).to.deep.equal(reading);
				else expect(reading.message).to.match(/\.$/);
			})
		);
	});

	it('say what is wrong to whoever gave them', () => {
		expect(read({ kind: 'prefix', version: 4 }, '10.0.0.1/24')).to.equal(
			'“10.0.0.1/24” is an address inside the prefix 10.0.0.0/24.'
		);
		expect(read({ kind: 'address', version: 6 }, '10.0.0.1')).to.include('no IPv6 address');
		expect(read({ kind: 'vlan' }, '4095')).to.equal('A VLAN is a whole number from 1 to 4094, not “4095”.');
		expect(read({ kind: 'vlan' }, '1e2')).to.include('not “1e2”');
		expect(read({ kind: 'choice', choices: ['a', 'b'] }, 'c')).to.equal('“c” is none of a, b.');
		expect(read({ kind: 'text' }, 'two\nlines')).to.include('no line breaks');
		expect(read({ kind: 'text' }, 'turned \u202eround')).to.include('no control characters');
		expect(read({ kind: 'secret' }, 'short')).to.include('8 characters or more');
		expect(read({ kind: 'url' }, 'https://me:it@files.example/')).to.include('holds no login');
		expect(read({ kind: 'hostname' }, 'сafe-1')).to.equal(
			'“с” (U+0441) in “сafe-1” looks like “c” and is another character.'
		);
	});

	it('that are rows are read from a cell and from a list', () => {
		const type: FieldType = {
			kind: 'table',
			columns: [
				{ name: 'id', type: { kind: 'vlan' } },
				{ name: 'name', type: { kind: 'hostname' } }
			]
		};
		const rows = [
			{ id: 20, name: 'staff' },
			{ id: 30, name: 'guests' }
		];
		expect(read(type, '20, staff; 30, guests')).to.deep.equal(rows);
		expect(read(type, rows)).to.deep.equal(rows);
		expect(writeValue(rows)).to.equal('20, staff; 30, guests');
		expect(read(type, '20, staff; 5000, guests')).to.include('Row 2, id: A VLAN');
		expect(read(type, '20')).to.include('Row 1, name: Nothing');
		expect(read(type, '20, staff, more')).to.include('has 3 cells');
		expect(read(type, [7])).to.include('Row 1, id');
	});
});

describe('declared fields', () => {
	const problems = (field: object) =>
		(v.safeParse(fieldSchema, { name: 'lan', type: { kind: 'prefix' }, ...field }).issues ?? []).map(
			({ message }) => message
		);

	it('are checked where they are written', () => {
		expect(problems({})).to.deep.equal([]);
		expect(problems({ formula: 'supernet | subnet: 24, 1' })).to.deep.equal([]);
		expect(problems({ name: 'site' })[0]).to.include('kept for what Limen itself knows');
		expect(problems({ name: 'Lan' })[0]).to.include('lower-case');
		expect(problems({ formula: 'lan | nonsense' })[0]).to.include('undefined filter');
		expect(problems({ formula: 'a }} {{ b' })[0]).to.include('one expression');
		expect(problems({ fallback: '10.0.0.1/24' })[0]).to.include('inside the prefix');
		expect(problems({ type: { kind: 'text', pattern: '(' } })[0]).to.include('no pattern');
		expect(problems({ type: { kind: 'text', pattern: '(a+)+' } })[0]).to.include('no pattern');
		const twice = { name: 'a', type: { kind: 'vlan' } };
		expect(v.safeParse(fieldsSchema, [twice, twice]).issues![0].message).to.equal(
			'Two fields have the same name.'
		);
	});
});

describe('names', () => {
	it('are refused when a character is taken for another', () => {
		expect(nameProblem('Guest Wi‑Fi')).to.include('U+2011');
		expect(nameProblem('Тime')).to.include('looks like “T”');
		expect(nameProblem('a\u200bb')).to.include('invisible');
		expect(nameProblem(' a')).to.include('space');
		for (const name of ['Uplink, fibre', 'Tākaka', 'Время', 'A – B', '東京'])
			expect(nameProblem(name), name).to.equal(null);
		expect(lookAlike('plain-1')).to.equal(null);
		expect(lookAlike('１')).to.include('looks like “1”');
	});
});
