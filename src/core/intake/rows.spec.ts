import { expect } from 'chai';
import fc from 'fast-check';
import { checkCharacter } from './label/check-character';
import { LARGEST_TEXT, MOST_ROWS, readIntake, type IntakeRow } from './rows';
import { judgeRows } from './verdict';
import type { SerialModel } from './label/serial';

const models: SerialModel[] = [
	{ id: 'r-1', name: 'Router one', serial: { template: 'VTBddddaaaac', check: 'iso7064-mod-37-36' } },
	{ id: 'p-1', name: 'Point one', serial: { template: 'LFddddddc', check: 'iso7064-mod-11-10' } }
];
const serialOf = (number: number) => {
	const body = `VTB${String(number).padStart(4, '0')}AB0D`;
	return body + checkCharacter(body, 'iso7064-mod-37-36');
};
const A = serialOf(1);
const B = serialOf(2);
const MAC = '02:aa:bb:cc:dd:01';
const read = (text: string): readonly IntakeRow[] => {
	const reading = readIntake(text, models);
	if (!reading.ok) throw new Error(reading.problem);
	return reading.rows;
};
const essence = (rows: readonly IntakeRow[]) =>
	rows.map(({ serial, mac, claimCode }) => ({ serial, mac, claimCode }));
const unit = { serial: A, mac: MAC, claimCode: 'K7QP3M9X' };

describe('reading an intake', () => {
	it('reads a row in any delimiter, with a heading or none, with a BOM, with any line end', () => {
		for (const text of [
			`${A} ${MAC} K7QP-3M9X`,
			`${A},${MAC},K7QP-3M9X`,
			`${A};${MAC};K7QP-3M9X\r\n`,
			`${A}\t${MAC}\tK7QP-3M9X\r`,
			`\uFEFFSerial number;MAC address;Claim code\r\n${A};${MAC};K7QP-3M9X`,
			`claim_code,note,serial,mac\nK7QP-3M9X,"for the, shop",${A},02AA.BBCC.DD01`,
			`"${A}","${MAC}","K7QP-3M9X"`,
			`  ${A.toLowerCase()} ,  02-AA-BB-CC-DD-01 , k7qp3m9x  \n\n\n`
		]) {
			const rows = read(text);
			expect(essence(rows), text).to.deep.equal([unit]);
			expect(rows[0]).to.deep.include({ modelId: 'r-1', problems: [] });
		}
	});

	it('reads units out of a letter, with serial numbers in groups of four as they are printed', () => {
		const fours = (text: string) => text.replace(/(.{4})(?=.)/g, '$1 ');
		const letter = (rows: string) =>
			`Hello Ines,\n\nhere are the two for Queen Street:\n\n${rows}\n\nThe third follows on Friday.\n\nKind regards,\nJo\n--\nHartwell Supplies Ltd\nLevel 4, 120 Market Place\n021 555 0199\njo@hartwell.example\n`;
		for (const rows of [
			`${A} ${MAC} K7QP-3M9X\n${B} K7QP-3M9Y`,
			`${fours(A)} ${MAC} K7QP 3M9X\n${fours(B)} K7QP 3M9Y`,
			`${fours(A)}, ${MAC}, K7QP-3M9X\n${fours(B)}, K7QP-3M9Y`,
			`Router: ${A} MAC ${MAC} code K7QP-3M9X\nand for the shop:\nRouter: ${fours(B)} code K7QP-3M9Y`
		]) {
			const reading = readIntake(letter(rows), models);
			if (!reading.ok) throw new Error(reading.problem);
			expect(essence(reading.rows), rows).to.deep.equal([
				unit,
				{ serial: B, mac: null, claimCode: 'K7QP3M9Y' }
			]);
			for (const { problems } of reading.rows) expect(problems).to.deep.equal([]);
			expect(reading.passedOver).to.include.members(['Hello Ines,', 'Kind regards,', 'Jo', '021 555 0199']);
		}
		// What stands in a list by itself is a row, and so is a letter without any unit
		expect(read(`${A} ${MAC} K7QP-3M9X\nnonsense`)).to.have.lengthOf(2);
		expect(read('Hello Ines,\nnothing today.')).to.have.lengthOf(2);
	});

	it('calls a wrong check character that', () => {
		const wrong = `${A.slice(0, -1)}${A.endsWith('7') ? '9' : '7'}`.replace(/[0OQD1IL8B5S2Z6G](?=.$)/, 'X');
		const [row] = read(`${wrong} ${MAC} K7QP-3M9X`);
		expect(row!.isUnknownModel).to.equal(false);
		expect(row!.problems.join()).to.match(/check character does not agree for model Router one/);
		const fours = wrong.replace(/(.{4})(?=.)/g, '$1 ');
		const [grouped] = read(`${fours} ${MAC} K7QP 3M9X`);
		expect(grouped).to.deep.include({ serial: wrong, claimCode: 'K7QP3M9X', problems: row!.problems });
	});

	it('does not depend on the order of the columns', () => {
		fc.assert(
			fc.property(
				fc.shuffledSubarray(['serial', 'mac', 'claim'], { minLength: 3 }),
				fc.constantFrom(',', ';', '\t', ' '),
				fc.boolean(),
				(order, delimiter, heading) => {
					const cells: Record<string, string> = { serial: A, mac: MAC, claim: 'K7QP-3M9X' };
					const lines = [order.map((column) => cells[column]).join(delimiter)];
					if (heading) lines.unshift(order.join(delimiter));
					expect(essence(read(lines.join('\n')))).to.deep.equal([unit]);
				}
			)
		);
	});

	it('tells bad rows apart from good ones and hands them back as they came', () => {
		const misread = A.replace('0', 'O');
		const rows = read(
			`${A},${MAC},K7QP-3M9X\n${misread},02:aa:bb:cc:dd:02,K7QP-3M9Y\nrubbish\n${B},ff:ff:ff:ff:ff:ff,K7QP-3M9X\n${B},,`
		);
		expect(rows.map((row) => row.problems.length > 0)).to.deep.equal([false, true, true, true, true]);
		expect(rows[1]!.repairs[0]!.serial).to.equal(A);
		expect(rows[1]!.raw).to.equal(`${misread},02:aa:bb:cc:dd:02,K7QP-3M9Y`);
		expect(rows[2]!.problems.join(' '))
			.to.match(/7 characters/)
			.and.match(/claim code is missing/);
		expect(rows[3]!.problems.join(' ')).to.match(/MAC/);
		expect(rows[4]!.problems).to.deep.equal(['The claim code is missing.']);
		expect(rows.map((row) => row.line)).to.deep.equal([1, 2, 3, 4, 5]);
	});

	it('takes a line of serial numbers alone as so many rows', () => {
		expect(read(`${A}, ${B}`).map((row) => row.serial)).to.deep.equal([A, B]);
	});

	it('keeps line numbers when a quoted cell holds a line break', () => {
		const rows = read(`serial,note,claim\n${A},"two\nlines",K7QP-3M9X\n${B},x,K7QP-3M9Y`);
		expect(rows.map((row) => row.line)).to.deep.equal([2, 4]);
	});

	it('refuses what is no list: too large, too long, not text', () => {
		const problem = (text: string) => {
			const reading = readIntake(text, models);
			return reading.ok ? null : reading.problem;
		};
		expect(problem('x'.repeat(LARGEST_TEXT + 1))).to.match(/clipboard/);
		expect(problem('x\n'.repeat(MOST_ROWS + 1))).to.match(/rows/);
		expect(problem('PK\x03\x04\x00')).to.match(/not text/);
		expect(read('')).to.deep.equal([]);
		expect(read(' \n;;;\n,,\n')).to.deep.equal([]);
	});

	it('never throws and never invents a good row from noise', () => {
		fc.assert(
			fc.property(fc.string({ unit: 'binary', maxLength: 300 }), (noise) => {
				const reading = readIntake(noise, models);
				if (reading.ok) for (const row of reading.rows) expect(row.problems).to.not.be.empty;
			})
		);
	});
});

describe('verdicts', () => {
	const makerOf = () => 'maker';
	const judge = (text: string, known: Parameters<typeof judgeRows>[1] = []) =>
		judgeRows(read(text), known, makerOf);
	const row = (serial: string, mac = '') => `${serial},${mac},K7QP-3M9X`;

	it('claims each serial once, and a second time nothing', () => {
		const text = [row(A), row(B), row(A)].join('\n');
		const first = judge(text);
		expect(first.map(({ verdict }) => verdict)).to.deep.equal(['claimed', 'claimed', 'repeated']);
		expect(first[2]!.reason).to.match(/line 1/);
		const known = first
			.filter(({ verdict }) => verdict === 'claimed')
			.map(({ serial, mac }) => ({ serial, mac, makerId: 'maker', ours: true }));
		expect(judge(text, known).map(({ verdict }) => verdict)).to.deep.equal([
			'already-ours',
			'already-ours',
			'repeated'
		]);
	});

	it('refuses what belongs to somebody else, without saying to whom, and a MAC address taken twice', () => {
		const [other] = judge(row(A), [{ serial: A, makerId: 'maker', mac: null, ours: false }]);
		expect(other).to.deep.include({ verdict: 'refused', reason: 'This unit belongs to another account.' });
		expect(judge(`${row(A, MAC)}\n${row(B, MAC)}`).map(({ verdict }) => verdict)).to.deep.equal([
			'claimed',
			'refused'
		]);
	});
});
