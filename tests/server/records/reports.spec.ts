import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { REPORT_PARTS_IN_ORDER } from '../../../src/core/report';
import { cellsOfXlsx } from '../../../src/lib/server/list-file';
import { wordsOn } from '../../pdf';
import { boundUnit, customerId, get, newPerson, unwalled } from '../making';
import { reportScene, DAY_MS } from './report-making';

describe('reports', () => {
	const { scene, preview, ask, made, stateOf, file } = reportScene();

	it('say on the page, on paper and in figures the same, of their customer alone', async () => {
		const page = await (await preview(REPORT_PARTS_IN_ORDER, scene.auditor)).text();
		expect(page).to.include(scene.customer).and.include('=cmd|&lt;b>"Ōtaki"');
		expect(page).to.not.include('Southfold');
		const report = await made(REPORT_PARTS_IN_ORDER);
		expect((await stateOf(report)).state).to.equal('made');
		const kept = await (await get(`/records/reports/${report}`, scene.auditor)).text();
		expect(kept)
			.to.include('=cmd|&lt;b>"Ōtaki"')
			.and.include('Who changed what')
			.and.include('How old secrets are');
		const csv = await (await file(report, 'csv')).text();
		const lines = csv.slice(csv.indexOf('What there is'), csv.indexOf('Each unit')).split('\r\n');
		expect(lines[1]).to.equal('Customer,Maker,Model,Units,At a place');
		expect(
			lines
				.slice(2)
				.filter(Boolean)
				.map((line) => line.replace(/.*,(\d+,\d+)$/, '$1'))
		).to.deep.equal(['1,1', '1,1']);
		expect(csv).to.include(`'=cmd|<b>""Ōtaki""`);
		const cells = await cellsOfXlsx(new Uint8Array(await (await file(report, 'xlsx')).arrayBuffer()));
		expect(cells.ok && cells.cells.slice(1).map((row) => row.slice(-2))).to.deep.equal([
			['1', '1'],
			['1', '1']
		]);
		const pdf = await file(report, 'pdf');
		expect(pdf.headers.get('content-type')).to.equal('application/pdf');
		const text = (await wordsOn(new Uint8Array(await pdf.arrayBuffer()))).join('');
		expect(text)
			.to.include(scene.customer.replaceAll(' ', ''))
			.and.include('Whatthereis')
			.and.include('Ōtaki');
		const units = await unwalled()('unit').where({ customer_id: scene.id }).select('serial');
		for (const { serial } of units) expect(text).to.include(serial);
	});

	it('stay as they were made, whatever becomes of what they tell', async () => {
		const report = await made(['inventory']);
		const [before, csv] = [
			await (await file(report, 'pdf')).arrayBuffer(),
			await (await file(report, 'csv')).text()
		];
		await boundUnit('router', scene.customer);
		expect(Buffer.from(await (await file(report, 'pdf')).arrayBuffer()).equals(Buffer.from(before))).to.equal(
			true
		);
		expect(await (await file(report, 'csv')).text()).to.equal(csv);
		expect(await (await file(await made(['inventory']), 'csv')).text()).to.not.equal(csv);
	});

	it('over nothing say so; what is not asked rightly is refused in words', async () => {
		const nothing = await (
			await preview(['alerts', 'rollouts', 'proofs', 'figures'], scene.auditor, {
				from: '2001-01-01',
				to: '2001-01-31'
			})
		).text();
		expect(nothing)
			.to.include('Nothing was told of in that time.')
			.and.include('There was no rollout in that time.')
			.and.include('Nothing is known of that time.');
		const wrong = async (parts: readonly string[], more = {}) => (await ask(parts, scene.auditor, more)).data;
		expect(JSON.stringify(await wrong(['inventory'], { to: '2001-01-31' }))).to.include(
			'It ends before it begins.'
		);
		expect(JSON.stringify(await wrong([]))).to.include('Choose at least one part.');
		expect(JSON.stringify(await wrong(['nonsense']))).to.include('Choose what is reported.');
		expect(JSON.stringify(await wrong(['inventory'], { from: '2010-01-01' }))).to.include(
			'At most ten years.'
		);
		expect(JSON.stringify(await wrong(['figures'], { figures: 'x; drop table unit' }))).to.include(
			'Choose figures.'
		);
		expect(await (await preview(['inventory'], scene.auditor, { to: '2001-01-31' })).text()).to.include(
			'It ends before it begins.'
		);
		expect((await get(`/records/reports/${uuid()}`, scene.auditor)).status).to.equal(404);
		expect((await file(uuid(), 'pdf')).status).to.equal(404);
		expect((await file(await made(['inventory']), 'exe')).status).to.equal(404);
	});

	it('tell nobody of others, nor what people did to those who may not see records', async () => {
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const reader = await newPerson({ [scene.customer]: 'reader' });
		expect((await preview(['inventory'], stranger)).status).to.equal(404);
		expect((await ask(['inventory'], stranger)).type).to.equal('failure');
		const theirs = await made(['inventory', 'standing', 'changes', 'units'], stranger, { customer: '' });
		expect(await (await file(theirs, 'csv', stranger)).text()).to.not.include(scene.customer);
		const ours = await made(['changes', 'inventory']);
		for (const [report, who] of [
			[ours, stranger],
			[ours, reader],
			[theirs, scene.coordinator]
		] as const) {
			expect((await get(`/records/reports/${report}`, who)).status).to.equal(404);
			expect((await file(report, 'csv', who)).status).to.equal(404);
			expect(await (await get('/records/reports', who)).text()).to.not.include(report);
		}
		// Of a customer those who read its records share what is made of it
		expect((await file(ours, 'csv', scene.coordinator)).status).to.equal(200);
		const short = await made(['changes', 'secrets', 'inventory'], reader);
		expect(await (await file(short, 'csv', reader)).text())
			.to.include('What there is')
			.and.not.include('Who changed what')
			.and.not.include('secrets');
		// Who reads here and works there is told what people did there alone
		const both = await newPerson({ [scene.customer]: 'reader', 'Pippin & Loaf': 'engineer' });
		const all = await (
			await file(await made(['changes', 'inventory'], both, { customer: '' }), 'csv', both)
		).text();
		expect(all).to.include(scene.customer);
		const { rows } = await unwalled().raw(
			`select coalesce(sum(n), 0)::int as times from (select count(*) as n from ledger_entry where customer_id = ? and result = 'done') x`,
			[await customerId('Pippin & Loaf')]
		);
		const told = [...all.matchAll(/^(?:[^,\r\n]*|"[^"]*"),[a-z ]+,(\d+),\d{4}-.*$/gm)].reduce(
			(sum, [, n]) => sum + Number(n),
			0
		);
		expect(told).to.be.at.most(rows[0].times);
	});

	it('are of the units of a cohort alone where one is chosen', async () => {
		const model = await unwalled()('unit').join('model', 'model.id', 'unit.model_id').where({ customer_id: scene.id, role_id: 'access-point' }).first('model.id as id'); // prettier-ignore
		const cohort = uuid();
		await unwalled()('cohort').insert({
			id: cohort,
			customer_id: scene.id,
			name: 'aerials',
			rule: `model=${model.id}`,
			by_whom: 'tests'
		});
		const csv = await (
			await file(await made(['inventory', 'units', 'firmware'], scene.auditor, { cohort }), 'csv')
		).text();
		const others = await unwalled()('unit')
			.where({ customer_id: scene.id })
			.whereNot({ model_id: model.id })
			.select('serial');
		const those = await unwalled()('unit')
			.where({ customer_id: scene.id, model_id: model.id })
			.select('serial');
		for (const { serial } of those) expect(csv).to.include(serial);
		for (const { serial } of others) expect(csv).to.not.include(serial);
		const page = await (await preview(['inventory'], scene.auditor, { cohort })).text();
		expect(page).to.include('the units of the cohort “aerials”');
		expect((await preview(['inventory'], scene.auditor, { cohort: uuid() })).status).to.equal(404);
	});

	it('tell chosen figures of how units did, as their days say', async () => {
		const { unitId } = await boundUnit('gateway', scene.customer);
		const unit = await unwalled()('unit').where({ id: unitId }).first('serial');
		const days = [0, 1].map((one) => new Date(Date.parse('2026-10-05T00:00Z') + one * DAY_MS));
		for (const [at, mean] of [[days[0], 20], [days[1], 40]] as const) // prettier-ignore
			await unwalled()('health_day').insert({
				unit_id: unitId, customer_id: scene.id, at, keys: 'processor\nsent:wan', figures: [[10, mean, mean * 2, 1], [1, 5, 9, 1]]
			}); // prettier-ignore
		const csv = await (
			await file(
				await made(['figures'], scene.auditor, {
					from: '2026-10-05',
					to: '2026-10-07',
					figures: ['processor', 'sent']
				}),
				'csv'
			)
		).text();
		expect(csv).to.include('"processor, mean, %","highest, %","sent, mean, bit/s","highest, bit/s"');
		expect(csv).to.match(new RegExp(`${unit.serial},30,80,5,9\r\n`));
	});
});
