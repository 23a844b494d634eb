import { expect } from 'chai';
import fc from 'fast-check';
import { maskSecrets } from '..';
import { leadsIn } from './leads';

const hidden = (masked: string, text: string) => maskSecrets(text, { values: [], leads: leadsIn(masked) });

describe('what leads to a secret', () => {
	it('leads to another secret in its place, however the statement is written', () => {
		const lead = '  door-code ••••••';
		expect(hidden(lead, 'door-code 1234')).to.equal('door-code ••••••');
		expect(hidden(lead, '  door-code "12 34";\nname x')).to.equal('  door-code ••••••;\nname x');
		expect(hidden(lead, 'no door-code 12 34')).to.equal('no door-code ••••••');
		expect(hidden(lead, 'set system door-code 12')).to.equal('set system door-code ••••••');
		expect(hidden(lead, 'lock { door-code 12; }')).to.equal('lock { door-code ••••••');
		expect(hidden(lead, '{"door-code":"a\\"b","n":1}')).to.equal('{"door-code":••••••,"n":1}');
		expect(hidden(lead, '{\n  "door-code": 12,\n  "n": 1\n}')).to.equal(
			'{\n  "door-code": ••••••,\n  "n": 1\n}'
		);
		expect(hidden(lead, '<n:door-code a="b"> 12 34 </n:door-code>')).to.equal(
			'<n:door-code a="b"> ••••••</n:door-code>'
		);
		expect(hidden(lead, '<a><door-code>x</door-code></a>')).to.equal('<a><door-code>••••••</door-code></a>');
		expect(hidden('{urn:x}door-code ••••••', '<door-code>x</door-code>')).to.equal(
			'<door-code>••••••</door-code>'
		);
		expect(hidden('@pin ••••••', '<door pin="12"/>')).to.equal('<door pin=••••••/>');
	});

	it('leaves what stands behind a secret in its statement, and other statements', () => {
		const lead = 'user anna key ab•••••• level 5';
		expect(hidden(lead, 'user anna key abXYZ level 6')).to.equal('user anna key ab•••••• level 6');
		expect(hidden(lead, 'user anna key abXYZ\nlevel 6')).to.equal('user anna key ab••••••\nlevel 6');
		for (const other of ['user otto key ab1 level 5', 'key ab1', 'user anna', 'user anna key'])
			expect(hidden(lead, other)).to.equal(other);
		expect(hidden('••••••', 'anything')).to.equal('anything');
		expect(hidden('door-code ••••••', '{ "door-code": { "x": 1 }, "door-codes": 2 }')).to.equal(
			'{ "door-code": { "x": 1 }, "door-codes": 2 }'
		);
	});

	it('leads past another secret, whatever that is', () => {
		expect(hidden('peer •••••• key ••••••', 'peer a key b\npeer key key c d')).to.equal(
			'peer •••••• key ••••••\npeer •••••• key ••••••'
		);
	});

	it('hides whatever is written in the place, and nothing before it', () => {
		const word = fc.stringMatching(/^[a-z][a-z0-9-]{0,7}$/);
		const value = fc.stringMatching(/^[A-Z0-9]{3,9}$/);
		fc.assert(
			fc.property(fc.array(word, { minLength: 1, maxLength: 12 }), value, value, (words, one, other) => {
				fc.pre(!words.some((some) => /secret|passw|psk|communi|passphrase/.test(some)));
				const before = words.join(' ');
				expect(hidden(`${before} ${'••••••'}`, `x\n ${before} ${one} ${other}\ny`)).to.equal(
					`x\n ${before} ••••••\ny`
				);
			})
		);
	});
});
