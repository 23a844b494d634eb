import { expect } from 'chai';
import fc from 'fast-check';
import { parseConfig } from '../config';
import { MASK, maskSecrets } from '../profile';
import { cutSecrets, linesWith, OTHER_SECTION, outlineOf, withSecrets, wordsIn } from '.';

describe('what an archive keeps', () => {
	const piece = fc.oneof(
		fc.constantFrom(
			'secret abc',
			'password "a \\"b\\" c"',
			'"password": "x"',
			MASK,
			'hush',
			'\n',
			' ',
			'port wan0',
			'secret\n',
			'secret secret secret'
		),
		fc.string({ maxLength: 6 })
	);
	const text = fc.array(piece, { maxLength: 25 }).map((pieces) => pieces.join(''));

	it('gives a text back to the letter once its secrets are put back', () => {
		fc.assert(
			fc.property(text, fc.subarray(['hush', 'abc', 'ab', 'wan0', '']), (whole, values) => {
				const cut = cutSecrets(whole, { values, leads: [] });
				expect(withSecrets(cut)).to.equal(whole);
				expect(cut.masked.split(MASK).length - 1).to.equal(cut.secrets.length);
				if (values.length === 0 && !whole.includes(MASK)) expect(cut.masked).to.equal(maskSecrets(whole));
				for (const value of values.filter(Boolean))
					expect(cut.masked.split(MASK).filter((shown) => shown.includes(value))).to.deep.equal([]);
			})
		);
	});

	it('cuts what follows a word for a secret, and known values wherever they stand', () => {
		const { masked, secrets } = cutSecrets('login root password "a b"\nkey hush-1 tail\nname Hush', {
			values: ['hush-1'],
			leads: []
		});
		expect(masked).to.equal(`login root password ${MASK}\nkey ${MASK} tail\nname Hush`);
		expect(secrets).to.deep.equal(['"a b"', 'hush-1']);
	});

	it('finds words and addresses as wholes', () => {
		expect(wordsIn('address 10.0.0.1/24;\n"Guests" <vlan>20</vlan>')).to.deep.equal([
			'address',
			'10.0.0.1/24',
			'10.0.0.1',
			'guests',
			'vlan',
			'20',
			'/vlan'
		]);
		expect(linesWith('a 10.0.0.1\nb 10.0.0.10\nserver 10.0.0.1/24 x', ['10.0.0.1'])).to.deep.equal([
			{ line: 1, text: 'a 10.0.0.1' },
			{ line: 3, text: 'server 10.0.0.1/24 x' }
		]);
		expect(wordsIn('\u0000\u0001 binary \ufffd')).to.deep.equal(['binary']);
	});

	it('is read by sections, each statement in one of them', () => {
		const reading = parseConfig('hostname a\nport wan0\n  address dhcp\nport lan1\nntp b', 'indented');
		if (!reading.ok) throw new Error('unread');
		expect(outlineOf(reading.tree, { Ports: ['port'], Wireless: ['radio'] })).to.deep.equal([
			{
				name: 'Ports',
				statements: [
					{ label: 'port wan0', line: 2 },
					{ label: 'port lan1', line: 4 }
				]
			},
			{
				name: OTHER_SECTION,
				statements: [
					{ label: 'hostname a', line: 1 },
					{ label: 'ntp b', line: 5 }
				]
			}
		]);
	});
});
