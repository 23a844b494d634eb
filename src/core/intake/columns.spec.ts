import { expect } from 'chai';
import fc from 'fast-check';
import { checkCharacter } from './label/check-character';
import { layoutSignature, readLayout, type Meaning } from './columns';
import { readIntake } from './rows';
import type { SerialModel } from './label/serial';

const models: SerialModel[] = [
	{ id: 'r-1', name: 'Router one', serial: { template: 'VTBddddaaaac', check: 'iso7064-mod-37-36' } }
];
const serialOf = (number: number) => {
	const body = `VTB${String(number).padStart(4, '0')}AB0D`;
	return body + checkCharacter(body, 'iso7064-mod-37-36');
};
const units = [1, 2, 3, 4].map((number) => ({
	line: String(number),
	article: 'VT-120 branch router',
	serial: serialOf(number),
	mac: `02:aa:bb:cc:dd:0${number}`,
	claim: `K7QP-3M9${number}`,
	site: ['Nelson clinic', 'Motueka clinic', 'Nelson clinic', 'Takaka clinic'][number - 1]!
}));
type Key = keyof (typeof units)[0];
const names = {
	sites: ['nelson clinic', 'Motueka clinic', 'Takaka clinic'],
	positions: ['gw-1'],
	profiles: ['Clinic gateway']
};
const listOf = (keys: readonly Key[], headings: readonly string[] | null, delimiter = ';') =>
	[
		...(headings ? [headings.join(delimiter)] : []),
		...units.map((one) => keys.map((key) => one[key]).join(delimiter))
	].join('\r\n');
const MEANT: Readonly<Record<Key, Meaning | null>> = {
	line: null,
	article: null,
	serial: 'serial',
	mac: 'mac',
	claim: 'claim',
	site: 'site'
};
const KEYS = Object.keys(MEANT) as Key[];
const meanings = (text: string) => readLayout(text, models, names)?.columns.map(({ meaning }) => meaning);

describe('the columns of a list', () => {
	it('are known by what is in them, in any order, under headings in any words or none', () => {
		fc.assert(
			fc.property(
				fc.shuffledSubarray(KEYS, { minLength: 2 }).filter((keys) => keys.includes('serial')),
				fc.constantFrom(',', ';', '\t'),
				fc.boolean(),
				(keys, delimiter, headed) => {
					const headings = headed ? keys.map((_, index) => `Spalte ${'abcdef'[index]!}`) : null;
					const text = listOf(keys, headings, delimiter);
					expect(meanings(text)).to.deep.equal(keys.map((key) => MEANT[key]));
					const layout = readLayout(text, models, names)!;
					expect(layout.above.length).to.equal(headed ? 1 : 0);
					expect(layout.heading?.cells ?? null).to.deep.equal(headings);
				}
			)
		);
	});

	it('stand below whatever a supplier writes above them', () => {
		const text = `Hartwell Supplies;;;;;\r\nDelivery note 4471;;2026-11-20;;;\r\n;;;;;\r\n${listOf(KEYS, ['Pos', 'Artikel', 'Seriennummer', 'Ethernet-ID', 'Freischaltung', 'Empfänger'])}`;
		const layout = readLayout(text, models, names)!;
		expect(layout.above).to.have.lengthOf(3);
		expect(layoutSignature(layout)).to.equal(
			'pos | artikel | seriennummer | ethernet-id | freischaltung | empfänger'
		);
		const reading = readIntake(text, models, null, names);
		if (!reading.ok) throw new Error(reading.problem);
		expect(reading.rows.map(({ serial, problems, line }) => [serial, problems.length, line])).to.deep.equal(
			units.map(({ serial }, index) => [serial, 0, 5 + index])
		);
		expect(reading.rows[0]!.place).to.deep.equal({ site: 'Nelson clinic', position: null, profile: null });
	});

	it('do what a heading says, unless what is below it is of another kind', () => {
		expect(meanings(listOf(['mac', 'serial', 'claim'], ['serial', 'mac', 'claim']))).to.deep.equal([
			'mac',
			'serial',
			'claim'
		]);
		const one = readLayout(listOf(['serial', 'claim'], ['SN', 'Code']), models)!;
		expect(one.columns.map(({ by }) => by)).to.deep.equal(['heading', 'heading']);
	});

	it('are what a person says, and bad rows come back under headings that say the same', () => {
		const text = listOf(['claim', 'article', 'serial'], null).replace(serialOf(3), 'not one');
		const reading = readIntake(text, models, ['claim', null, 'serial']);
		if (!reading.ok) throw new Error(reading.problem);
		expect(reading.rows.map(({ problems }) => problems.length > 0)).to.deep.equal([
			false,
			false,
			true,
			false
		]);
		expect(reading.heading).to.equal('claim code;;serial number');
		const again = readIntake(`${reading.heading}\n${reading.rows[2]!.raw}`, models);
		if (!again.ok) throw new Error(again.problem);
		expect(again.rows[0]).to.deep.include({ claimCode: 'K7QP3M93', serial: 'NOTONE' });
		expect(readIntake(text, models, ['claim', null, 'mac'])).to.deep.include({ ok: false });
	});

	it('are none where rows are words between spaces, or one cell each', () => {
		expect(readLayout(`${serialOf(1)} K7QP-3M9X\n${serialOf(2)} K7QP-3M9Y`, models)).to.equal(null);
		expect(readLayout(serialOf(1), models)).to.equal(null);
		expect(readLayout('', models)).to.equal(null);
	});

	it('never have one meaning twice, whatever the text', () => {
		fc.assert(
			fc.property(
				fc.string({ unit: 'grapheme', maxLength: 400 }),
				fc.constantFrom(',', ';', '\t'),
				(noise, by) => {
					const found = meanings(`serial${by}${noise}`)?.filter((meaning) => meaning !== null) ?? [];
					expect(new Set(found).size).to.equal(found.length);
				}
			)
		);
	});
});
