import { expect } from 'chai';
import fc from 'fast-check';
import { cellsOfXlsx } from '../../src/lib/server/list-file';
import { address, answerOf, customerId, newLabel, newPerson, type TestPerson } from '../server/making';
import { workbook, workbookOf } from '../server/workbook';
import { survives } from './attack';
import { FILES, row } from './traps';

describe('files from outside', () => {
	let coordinator: TestPerson;
	let reader: TestPerson;
	before(async () => {
		coordinator = await newPerson({ 'Marlstone Veterinary': 'coordinator' });
		reader = await newPerson({ 'Marlstone Veterinary': 'reader' });
	});

	async function send(path: string, content: Uint8Array, as: TestPerson) {
		const body = new FormData();
		body.set('customer', await customerId());
		body.set('file', new Blob([content as Uint8Array<ArrayBuffer>]), 'list.xlsx');
		return fetch(address(path), {
			method: 'POST',
			headers: {
				cookie: as.cookie,
				origin: address(''),
				accept: 'application/json',
				'x-sveltekit-action': 'true'
			},
			body
		});
	}

	for (const [name, make] of Object.entries(FILES))
		it(`are read within bounds: ${name}`, () =>
			survives(async () => {
				const { type, data } = await answerOf(await send('/intake?/claim', make(), coordinator));
				// What is left of it within the bounds is a list with nothing but rows to mend
				if (type === 'success')
					expect((data!.outcome as { counts: { claimed: number } }).counts.claimed).to.equal(0);
				else
					expect([type, data!.problem]).to.satisfy(
						([kind, words]: string[]) => kind === 'failure' && /list\.xlsx|nothing|no rows?/i.test(words!)
					);
			}));

	it('are not even looked at for somebody who may only read', async () => {
		const content = FILES['more rows than a list has']!();
		for (const path of ['/intake?/claim', '/intake?/columns', '/values?/compare', '/sites/stamp?/compare']) {
			const answer = await send(path, content, reader);
			expect([answer.status, ((await answer.json()) as { type: string }).type], path).to.deep.equal([
				403,
				'error'
			]);
		}
	});

	it('are read as a spreadsheet shows them', async () => {
		const cells = async (content: Uint8Array) => {
			const read = await cellsOfXlsx(content);
			return read.ok ? read.cells : read.problem;
		};
		expect(
			await cells(
				workbook(
					[
						['day', 'day and time', 'time', 'number', 'yes', 'formula', 'escaped'],
						[
							{ serial: 46352, format: 'yyyy\\-mm\\-dd' },
							{ serial: 46352.604166666664, format: 'd/m/yy\\ h:mm' },
							{ serial: 0.5625, format: '[$-409]h:mm AM/PM' },
							1.1000000000000001,
							true,
							{ formula: 'A1', result: 'kept' },
							"'-x"
						],
						['hidden', 'by', 'merging', { serial: 46352.25, format: '"day" yyyy-mm-dd' }]
					],
					['A3:C3']
				)
			)
		).to.deep.equal([
			['day', 'day and time', 'time', 'number', 'yes', 'formula', 'escaped'],
			['2026-11-26', '2026-11-26 14:30', '13:30', '1.1', 'TRUE', 'kept', "'-x"],
			['hidden', '', '', '2026-11-26 06:00', '', '', '']
		]);
		expect(await cells(workbook([['a', { formula: 'B1' }]]))).to.match(
			/B1 holds a formula whose result is not in the file/
		);
		expect(
			await cells(
				workbookOf(`<sheetData>${row(1, '<c s="1"><v>44890</v></c>')}</sheetData>`, {
					date1904: true,
					styles: '<cellXfs><xf/><xf numFmtId="14"/></cellXfs>'
				})
			)
		).to.deep.equal([['2026-11-26']]);
	});

	it('come to an answer whatever is changed in them', async () => {
		const good = workbook([
			['serial', 'mac'],
			[newLabel().serial, newLabel().mac],
			[1, { formula: 'x', result: 2 }]
		]);
		await fc.assert(
			fc.asyncProperty(
				fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
				async (changes) => {
					const content = Uint8Array.from(good);
					for (const [at, byte] of changes) content[at] = byte;
					expect(await cellsOfXlsx(content)).to.have.property('ok');
				}
			),
			{ numRuns: 60 }
		);
	});
});
