import { expect } from 'chai';
import fc from 'fast-check';
import { labelAsRow, readLabel } from './label';
import { readIntake } from '../rows';
import type { SerialModel } from './serial';

const MODELS: readonly SerialModel[] = [
	{ id: 'og-2', name: 'OG-2', serial: { template: 'OG2Kdddddddc', check: 'iso7064-mod-37-36' } },
	{ id: 'lf-6', name: 'LF-6', serial: { template: '61dddddddddc', check: 'iso7064-mod-11-10' } }
];
const SERIAL = 'OG2K1799402I';
const whole = { serial: SERIAL, mac: '02:5a:1f:00:00:45', claimCode: '4HXW9DKM', rest: [] };

describe('a label', () => {
	it('is told apart by what its codes are, in whatever order and form', () => {
		for (const codes of [
			[SERIAL, '02:5A:1F:00:00:45', '4HXW-9DKM'],
			['4HXW-9DKM', SERIAL, '025A1F000045'],
			[`S/N: ${SERIAL}`, 'MAC: 02-5A-1F-00-00-45', 'CODE: 4HXW 9DKM'],
			[`SN:${SERIAL};MAC:025a1f000045;CC:4HXW9DKM`],
			[`SN=${SERIAL} MAC=025A1F000045 CODE=4HXW9DKM`, SERIAL]
		])
			fc.assert(
				fc.property(fc.shuffledSubarray(codes, { minLength: codes.length }), (order) => {
					expect(readLabel(order, MODELS), order.join(' | ')).to.deep.equal(whole);
				})
			);
	});
	it('does not take a misread serial number for one, nor a broken address for a claim code', () => {
		const label = readLabel(['OG2K1799402J', '02:5a:1f:00:00:4', 'FF:FF:FF:FF:FF:FF'], MODELS);
		expect(label.serial).to.equal(null);
		expect(label.mac).to.equal(null);
		// Twelve letters and digits with no name can be a claim code; a person sees it before it is used
		expect([label.claimCode, ...label.rest]).to.include('FF:FF:FF:FF:FF:FF');
	});
	it('never throws, and gives rows that intake reads as the same', () => {
		fc.assert(
			fc.property(fc.array(fc.string(), { maxLength: 5 }), (codes) => {
				expect(readLabel(codes, MODELS).serial).to.equal(null);
			})
		);
		const read = readIntake(labelAsRow(whole), MODELS);
		expect(read.ok && read.rows[0]).to.deep.include({
			serial: SERIAL,
			mac: whole.mac,
			claimCode: whole.claimCode,
			problems: []
		});
	});
});
