import { expect } from 'chai';
import fc from 'fast-check';
import { readMac } from './mac';

const octets = fc.tuple(
	fc.integer({ min: 0, max: 127 }).map((n) => n * 2),
	...Array.from({ length: 5 }, () => fc.nat(255))
);
const hex = (bytes: readonly number[]) => bytes.map((byte) => byte.toString(16).padStart(2, '0')).join('');

describe('MAC addresses', () => {
	it('are the same address in every written form', () => {
		fc.assert(
			fc.property(octets, (bytes) => {
				fc.pre(bytes.some((byte) => byte > 0));
				const digits = hex(bytes);
				const pairs = digits.match(/../g)!;
				const forms = [
					pairs.join(':'),
					pairs.join('-').toUpperCase(),
					pairs.join(' '),
					digits.match(/.{4}/g)!.join('.'),
					digits.match(/.{6}/g)!.join('-'),
					digits.toUpperCase()
				];
				for (const form of forms) expect(readMac(` ${form} `)).to.equal(pairs.join(':'));
				expect(readMac(readMac(digits)!)).to.equal(readMac(digits));
			})
		);
	});

	it('that no unit can have are refused', () => {
		for (const text of [
			'ff:ff:ff:ff:ff:ff',
			'01:00:5e:00:00:01',
			'00:00:00:00:00:00',
			'02:00:00:00:00',
			'02:00-00:00:00:01',
			'zz:00:00:00:00:01',
			''
		])
			expect(readMac(text), text).to.equal(null);
	});
});
