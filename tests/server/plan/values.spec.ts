import { expect } from 'chai';
import Papa from 'papaparse';
import {
	compareSheet,
	readSheetFile,
	saveValues,
	sheetAsCsv,
	sheetAsXlsx,
	sheetColumns,
	sheetRows,
	sheetSize
} from '../../../src/lib/server/plan';
import { ACTOR, answerOf, customerId, get, newPerson, post, unwalled } from '../making';
import { workbook } from '../workbook';
import { EMPTY, field, freshField, must, releasedPart, releasedProfile } from '../profile/profile-making';
import { releaseProfile, saveProfile } from '../../../src/lib/server/profile';

describe('the value sheet', () => {
	const customer = 'Southfold Physio';
	const lan = field('lan', { type: { kind: 'prefix', version: 4 }, scope: 'site' });
	async function sheet(values: Record<string, unknown>[]) {
		const part = await releasedPart('name {{ hostname }};\naddress {{ lan }};\n', [field('hostname'), lan]);
		const profile = await releasedProfile([part.revisionId], values, customer);
		const choice = { profileId: profile.id, customerId: await customerId(customer) };
		const columns = await sheetColumns(choice);
		return {
			...profile,
			choice,
			rows: () => sheetRows(choice, 0, 100),
			columns,
			partRevision: part.revisionId
		};
	}

	it('saves all or nothing, and says what is wrong cell by cell', async () => {
		const { positions, rows } = await sheet([{}, { hostname: 'b' }]);
		const [a, b] = positions as [string, string];
		const wrong = await saveValues(
			[
				{ positionId: a, field: 'hostname', was: '', now: 'fine' },
				{ positionId: a, field: 'lan', was: '', now: '10.0.0.1/24' },
				{ positionId: b, field: 'hostname', was: 'what it was', now: 'c' },
				{ positionId: b, field: 'colour', was: '', now: 'red' }
			],
			ACTOR
		);
		expect(
			wrong.ok ? [] : wrong.cells.map(({ field, message }) => [field, message.slice(0, 40)])
		).to.deep.equal([
			['lan', '“10.0.0.1/24” is an address inside the p'],
			['hostname', 'Somebody changed this meanwhile; it is “'],
			['colour', 'The profile of gw-1 has no field “colour']
		]);
		expect((await rows()).map(({ cells }) => cells)).to.deep.equal([
			['', ''],
			['b', '']
		]);
		expect(
			await saveValues(
				[
					{ positionId: a, field: 'hostname', was: '', now: 'fine' },
					{ positionId: b, field: 'hostname', was: 'b', now: '' },
					{ positionId: b, field: 'lan', was: '', now: '10.0.4.0/24' }
				],
				ACTOR
			)
		).to.deep.equal({ ok: true, done: { cells: 3, across: [] } });
		expect((await rows()).map(({ cells }) => cells)).to.deep.equal([
			['fine', ''],
			['', '10.0.4.0/24']
		]);
		const site = (await unwalled()('position').where({ id: b }).first('site_id')).site_id;
		expect((await unwalled()('site').where({ id: site }).first('values')).values).to.deep.equal({
			lan: '10.0.4.0/24'
		});
	});

	it('takes values for what only the draft asks for, before it is released', async () => {
		const { id, positions, choice, columns, partRevision } = await sheet([
			{ hostname: 'a', lan: '10.0.0.0/24' }
		]);
		const colour = freshField('colour');
		const part = await releasedPart(`label {{ ${colour} }};\n`, [field(colour, { need: 'required' })]);
		const draft = { ...EMPTY, parts: [partRevision, part.revisionId] };
		expect(await saveProfile(id, 0, draft, ACTOR)).to.have.property('ok', true);
		expect((await sheetColumns(choice)).map(({ field: { name } }) => name)).to.deep.equal(
			columns.map(({ field: { name } }) => name)
		);
		const withDraft = { ...choice, draft: true };
		const drafted = await sheetColumns(withDraft);
		expect(drafted.filter(({ isNew }) => isNew).map(({ field: { name } }) => name)).to.deep.equal([colour]);
		const saved = await saveValues(
			[{ positionId: positions[0]!, field: colour, was: '', now: 'red' }],
			ACTOR
		);
		expect(saved).to.have.property('ok', true);
		const [row] = await sheetRows(withDraft, 0, 10);
		expect(row!.cells[0]).to.equal('red');
		expect(row!.instead[0]).to.equal('');
		must(await releaseProfile(id, 1, 'with colour', false, ACTOR));
		const released = await sheetColumns(choice);
		const at = released.findIndex(({ field: { name } }) => name === colour);
		expect(released[at]).to.include({ isNew: false });
		expect((await sheetRows(choice, 0, 10))[0]!.cells[at]).to.equal('red');
	});

	it('gives a value for the whole customer, and lets one place differ from it', async () => {
		const vlan = field('shared_vlan', { type: { kind: 'vlan' }, scope: 'customer' });
		const part = await releasedPart('vlan {{ shared_vlan }};\n', [vlan]);
		const { id, positions } = await releasedProfile([part.revisionId], [{}, {}], customer);
		const [a, b] = positions as [string, string];
		const choice = { profileId: id, customerId: await customerId(customer) };
		expect(await sheetColumns(choice)).to.have.lengthOf(0);
		const rows = async (at: 'customer' | 'position') =>
			(await sheetRows({ ...choice, at, all: true }, 0, 9)).map(({ cells, instead, differs }) => [
				cells[0],
				instead[0],
				differs[0]
			]);
		const save = (positionId: string, was: string, now: string, target: 'customer' | 'position') =>
			saveValues([{ positionId, field: 'shared_vlan', was, now, target }], ACTOR);
		expect(await save(a, '', '30', 'customer')).to.deep.equal({ ok: true, done: { cells: 1, across: [] } });
		expect(await save(b, '', '40', 'position')).to.deep.equal({ ok: true, done: { cells: 1, across: [] } });
		expect(await rows('customer')).to.deep.equal([
			['30', '', ''],
			['30', '', 'The position gives 40, and that counts.']
		]);
		expect(await rows('position')).to.deep.equal([
			['', '30', ''],
			['40', '', 'Differs from the customer’s 30; clear it to follow that.']
		]);
		expect(await save(b, '40', '', 'position')).to.deep.equal({ ok: true, done: { cells: 1, across: [] } });
		expect((await rows('position'))[1]).to.deep.equal(['', '30', '']);
		// Two rows that want one value of the customer to be two
		const both = await saveValues(
			[
				{ positionId: a, field: 'shared_vlan', was: '30', now: '31', target: 'customer' },
				{ positionId: b, field: 'shared_vlan', was: '30', now: '32', target: 'customer' }
			],
			ACTOR
		);
		expect(both.ok ? '' : both.cells[0]!.message).to.match(/one value for the whole customer/);
		expect(await save(a, '30', '', 'customer')).to.deep.equal({ ok: true, done: { cells: 1, across: [] } });
		const of = (match: string) => sheetSize({ ...choice, match });
		const { name } = await unwalled()('site')
			.where({ id: (await unwalled()('position').where({ id: a }).first('site_id')).site_id })
			.first('name');
		expect([await of(name.toUpperCase()), await of('gw-'), await of('100%')]).to.deep.equal([1, 2, 0]);
	});

	it('is refused to those who may not, and shows nobody what is another’s', async () => {
		const { positions, id } = await sheet([{}]);
		const auditor = await newPerson({ [customer]: 'auditor' });
		const changes = JSON.stringify([{ positionId: positions[0], field: 'hostname', was: '', now: 'x' }]);
		expect((await post('/values?/save', { changes }, {}, auditor).then(answerOf)).data!.problem).to.match(
			/One cell is wrong/
		);
		const other = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await get(`/values/rows?profile=${id}`, other).then((answer) => answer.json())).to.deep.equal([]);
		const reader = await newPerson({ [customer]: 'reader' });
		expect((await get(`/values?profile=${id}`, reader)).status).to.equal(403);
	});

	it('goes out as CSV and XLSX and comes back the same, in any order of columns', async () => {
		const { rows, columns, choice } = await sheet([{ hostname: 'a' }, { hostname: 'b' }]);
		const present = await rows();
		for (const file of [Buffer.from(sheetAsCsv(columns, present)), await sheetAsXlsx(columns, present)]) {
			const reading = await readSheetFile(file);
			if (!reading.ok) throw new Error(reading.problem);
			expect(compareSheet(reading.cells, columns, present)).to.deep.equal({
				changes: [],
				problems: [],
				missing: []
			});
		}
		const csv = Papa.parse<string[]>(sheetAsCsv(columns, present).slice(1)).data;
		expect(csv[0]).to.deep.equal(['customer', 'site', 'position', 'hostname', 'lan']);
		expect(csv[1]![3]).to.include('required, per position: hostname');
		// Shuffled, with a column left out and a formula whose result counts
		const reading = await readSheetFile(
			Buffer.from(
				workbook([
					['lan', 'position', 'site'],
					[{ formula: 'A1', result: '10.7.0.0/24' }, 'gw-1', present[0]!.site]
				])
			)
		);
		if (!reading.ok) throw new Error(reading.problem);
		const compared = compareSheet(reading.cells, columns, present);
		expect(compared.missing).to.deep.equal(['hostname']);
		expect(compared.changes).to.deep.equal([
			{
				positionId: present[0]!.positionId,
				field: 'lan',
				target: 'site',
				was: '',
				now: '10.7.0.0/24',
				place: `${present[0]!.site} gw-1`
			}
		]);
		const engineer = await newPerson({ [customer]: 'engineer' });
		const file = await get(`/values/file?profile=${choice.profileId}&as=xlsx`, engineer);
		expect(file.headers.get('content-type')).to.include('spreadsheetml');
		expect((await readSheetFile(Buffer.from(await file.arrayBuffer()))).ok).to.equal(true);
	});

	it('names what a file has wrong, line by line, and changes nothing by comparing', async () => {
		const { rows, columns } = await sheet([{}]);
		const present = await rows();
		const { site } = present[0]!;
		const problems = (text: string) =>
			compareSheet(Papa.parse<string[]>(text).data, columns, present).problems;
		expect(problems(`site,position,hostname\n${site},gw-1,a\n${site},GW-1,b\nNowhere,gw-1,c`)).to.deep.equal([
			`Line 3: “${site} GW-1” stands in line 2 already.`,
			'Line 4: there is no position “Nowhere gw-1” with this profile.'
		]);
		expect(problems('site,hostname\nx,y')).to.deep.equal([
			'There is no column “position”. The first row must name the columns.'
		]);
		expect(problems('site,position,colour,hostname,hostname\n')).to.deep.equal([
			'The column “hostname” stands twice.',
			'The profile has no field “colour”.'
		]);
		for (const [content, words] of [
			[Buffer.from('PK\u0003\u0004 not really'), /cannot be read/],
			[Buffer.from([0, 1, 2, 3]), /neither a CSV nor an XLSX/]
		] as const) {
			const reading = await readSheetFile(content);
			expect(reading.ok ? '' : reading.problem).to.match(words);
		}
		const old = await readSheetFile(Buffer.from('site;caf\xe9', 'latin1'));
		expect(old.ok && old.cells).to.deep.equal([['site', 'café']]);
		expect(old.ok && old.remark).to.match(/not in UTF-8/);
		expect(sheetAsCsv(columns, [{ ...present[0]!, site: '=1+1' }])).to.include("'=1+1");
	});

	it('keeps secrets masked on the way out and untouched on the way back', async () => {
		const part = await releasedPart('key {{ key | quoted }};', [field('key', { type: { kind: 'secret' } })]);
		const { id, positions } = await releasedProfile([part.revisionId], [{}], customer);
		const choice = { profileId: id, customerId: await customerId(customer) };
		const cell = { positionId: positions[0]!, field: 'key' };
		expect(await saveValues([{ ...cell, was: '', now: 'hush-hush-2' }], ACTOR)).to.deep.equal({
			ok: true,
			done: { cells: 1, across: [] }
		});
		const [row] = await sheetRows(choice, 0, 1);
		expect(row!.cells).to.deep.equal(['••••••']);
		const stored = (await unwalled()('position').where({ id: positions[0] }).first('values')).values;
		expect(stored.key).to.match(/^sealed:/);
		expect(sheetAsCsv(await sheetColumns(choice), [row!])).to.not.include('hush');
		const entry = await unwalled()('ledger_entry').where({ act: 'set values' }).orderBy('id', 'desc').first();
		expect(JSON.stringify(entry)).to.not.include('hush-hush');
	});
});
