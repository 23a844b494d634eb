import { expect } from 'chai';
import fc from 'fast-check';
import { checkCharacter, checkCharacterHolds } from './check-character';
import { explainSerial, groupSerial, readSerial, serialFits, type SerialModel } from './serial';

export const router: SerialModel = {
	id: 'r-1',
	name: 'Router one',
	serial: { template: 'VTBddddaaaac', check: 'iso7064-mod-37-36' }
};
const point: SerialModel = {
	id: 'p-1',
	name: 'Point one',
	serial: { template: 'LFddddddc', check: 'iso7064-mod-11-10' }
};

const alphanumeric = fc.constantFrom(...'0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ');
const digit = fc.constantFrom(...'0123456789');
const routerSerial = fc
	.tuple(
		fc.array(digit, { minLength: 4, maxLength: 4 }),
		fc.array(alphanumeric, { minLength: 4, maxLength: 4 })
	)
	.map(([digits, rest]) => {
		const body = `VTB${digits.join('')}${rest.join('')}`;
		return body + checkCharacter(body, 'iso7064-mod-37-36');
	});

describe('check characters', () => {
	it('agrees with the published examples of ISO/IEC 7064', () => {
		expect(checkCharacter('0794', 'iso7064-mod-11-10')).to.equal('5');
		expect(checkCharacter('A12425GABC1234002', 'iso7064-mod-37-36')).to.equal('M');
	});

	it('finds every single wrong character', () => {
		fc.assert(
			fc.property(routerSerial, fc.nat(11), alphanumeric, (serial, place, wrong) => {
				fc.pre(serial[place] !== wrong);
				const misread = serial.slice(0, place) + wrong + serial.slice(place + 1);
				expect(checkCharacterHolds(misread, 'iso7064-mod-37-36')).to.equal(false);
			})
		);
	});

	it('has none for a character outside its alphabet', () => {
		expect(checkCharacter('12A', 'iso7064-mod-11-10')).to.equal(null);
		expect(checkCharacter('a', 'iso7064-mod-37-36')).to.equal(null);
	});
});

describe('serial numbers', () => {
	it('are read in any case and grouping', () => {
		fc.assert(
			fc.property(routerSerial, (serial) => {
				const reading = readSerial(` ${groupSerial(serial).toLowerCase()} `, [point, router]);
				expect(reading).to.deep.equal({ kind: 'match', serial, modelIds: ['r-1'] });
			})
		);
	});

	it('misread by one look-alike are repaired, and every repair is valid', () => {
		const confusions: [string, string][] = [['0', 'O'], ['1', 'I'], ['8', 'B'], ['5', 'S']]; // prettier-ignore
		fc.assert(
			fc.property(routerSerial, fc.constantFrom(...confusions), (serial, [right, wrong]) => {
				const place = serial.indexOf(right, 3);
				fc.pre(place > 0);
				const misread = serial.slice(0, place) + wrong + serial.slice(place + 1);
				const reading = readSerial(misread, [router, point]);
				fc.pre(reading.kind === 'no-match');
				if (reading.kind !== 'no-match') return;
				expect(reading.repairs.map((repair) => repair.serial)).to.include(serial);
				for (const repair of reading.repairs) {
					expect(serialFits(repair.serial, router.serial)).to.equal(true);
					for (const { place: changed, from, to } of repair.changes)
						expect([misread[changed], repair.serial[changed]]).to.deep.equal([from, to]);
				}
				expect(reading.repairs[0]!.changes).to.have.lengthOf(1);
			})
		);
	});

	it('that are something else altogether get no repair but a reason', () => {
		expect(readSerial('HELLO', [router])).to.deep.include({ kind: 'no-match', repairs: [] });
		expect(explainSerial('HELLO', [router])).to.match(/5 characters.*12/);
		expect(explainSerial('VTB2612AAAA0', [router])).to.match(/check character/);
		expect(explainSerial('XXX2612AAAA0', [router])).to.match(/no known model/);
		expect(explainSerial('VTB2612ÄAAA0', [router])).to.match(/A to Z/);
	});

	it('are grouped in fours', () => expect(groupSerial('ABCDEFGHI')).to.equal('ABCD EFGH I'));
});
