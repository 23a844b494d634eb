import { expect } from 'chai';
import { REPORT_PARTS_IN_ORDER } from '../../src/core/report';
import { cellsOfXlsx } from '../../src/lib/server/list-file';
import { wordsOn } from '../pdf';
import { boundUnit, customerId, customerLike, get, newPerson, unwalled, type TestPerson } from './making';

const today = new Date().toISOString().slice(0, 10);

describe('reports', () => {
	let customer: string;
	let id: string;
	let auditor: TestPerson;
	before(async () => {
		customer = await customerLike('Marlstone Veterinary');
		id = await customerId(customer);
		auditor = await newPerson({ [customer]: 'auditor' });
		await boundUnit('gateway', customer);
		await boundUnit('access-point', customer);
		const site = await unwalled()('site').where({ customer_id: id }).orderBy('name').first('id');
		await unwalled()('site').where({ id: site.id }).update({ name: '=cmd|<b>"Ōtaki"' });
	});
	const query = (parts: readonly string[], more: Record<string, string> = {}) => {
		const search = new URLSearchParams({ customer: id, from: today, to: today, ...more });
		for (const part of parts) search.append('part', part);
		return search.toString();
	};
	const file = (parts: readonly string[], as: string, who = auditor, more = {}) =>
		get(`/records/reports/file?${query(parts, { as, ...more })}`, who);

	it('say on the page, on paper and in figures the same, of their customer alone', async () => {
		const page = await (await get(`/records/reports?${query(REPORT_PARTS_IN_ORDER)}`, auditor)).text();
		expect(page).to.include(customer).and.include('=cmd|&lt;b>"Ōtaki"');
		expect(page).to.not.include('Southfold');
		const csv = await (await file(['inventory'], 'csv')).text();
		expect(csv).to.match(/Customer,Maker,Model,Units,At a place/);
		expect(csv.split('\r\n').filter((line) => line.startsWith(customer))).to.have.length(2);
		for (const line of csv.split('\r\n').filter((one) => one.startsWith(customer)))
			expect(line).to.match(/,1,1$/);
		const xlsx = await file(['inventory', 'standing'], 'xlsx');
		const cells = await cellsOfXlsx(new Uint8Array(await xlsx.arrayBuffer()));
		expect(cells.ok && cells.cells.slice(1).map((row) => row.slice(-2))).to.deep.equal([
			['1', '1'],
			['1', '1']
		]);
		const pdf = await file(REPORT_PARTS_IN_ORDER, 'pdf');
		expect(pdf.headers.get('content-type')).to.equal('application/pdf');
		const text = (await wordsOn(new Uint8Array(await pdf.arrayBuffer()))).join('');
		expect(text).to.include(customer.replaceAll(' ', '')).and.include('Whatthereis').and.include('Ōtaki');
	});

	it('over nothing say so; what is not asked rightly is refused in words', async () => {
		const before = await (
			await get(
				`/records/reports?${query(['alerts', 'rollouts', 'proofs'], { from: '2001-01-01', to: '2001-01-31' })}`,
				auditor
			)
		).text();
		expect(before)
			.to.include('Nothing was told of in that time.')
			.and.include('There was no rollout in that time.');
		expect((await file(['inventory'], 'csv', auditor, { to: '2001-01-31' })).status).to.equal(400);
		expect((await file([], 'pdf')).status).to.equal(400);
		expect((await file(['nonsense'], 'pdf')).status).to.equal(400);
		expect(
			await (await get(`/records/reports?${query(['inventory'], { to: '2001-01-31' })}`, auditor)).text()
		).to.include('It ends before it begins.');
	});

	it('tell nobody of others, nor what people did to those who may not see records', async () => {
		const stranger = await newPerson({ 'Pippin & Loaf': 'auditor' });
		expect((await file(['inventory'], 'csv', stranger)).status).to.equal(404);
		const all = await (
			await file(['inventory', 'standing', 'changes'], 'csv', stranger, { customer: '' })
		).text();
		expect(all).to.not.include(customer);
		const reader = await newPerson({ [customer]: 'reader' });
		expect(await (await file(['changes', 'inventory'], 'csv', reader)).text()).to.not.include(
			'Who changed what'
		);
		expect(await (await file(['changes'], 'csv')).text())
			.to.include('Who changed what')
			.and.include('bind');
	});
});
