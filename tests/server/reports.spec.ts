import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { PNG } from 'pngjs';
import { REPORT_PARTS_IN_ORDER } from '../../src/core/report';
import { BOOTSTRAP, runAs } from '../../src/lib/server/database';
import { cellsOfXlsx } from '../../src/lib/server/list-file';
import { cleanUp } from '../../src/lib/server/jobs';
import { makeWhatIsDue } from '../../src/lib/server/reports';
import { wordsOn } from '../pdf';
import { onChange } from './dialling';
import {
	answerOf,
	boundUnit,
	customerId,
	customerLike,
	get,
	newPerson,
	post,
	unwalled,
	type TestPerson
} from './making';

const today = new Date().toISOString().slice(0, 10);
const DAY_MS = 86_400_000;

describe('reports', () => {
	let customer: string;
	let id: string;
	let auditor: TestPerson;
	let coordinator: TestPerson;
	let administrator: TestPerson;
	before(async () => {
		customer = await customerLike('Marlstone Veterinary');
		id = await customerId(customer);
		auditor = await newPerson({ [customer]: 'auditor' });
		coordinator = await newPerson({ [customer]: 'coordinator' });
		administrator = await newPerson('administrator');
		await boundUnit('gateway', customer);
		await boundUnit('access-point', customer);
		const site = await unwalled()('site').where({ customer_id: id }).orderBy('name').first('id');
		await unwalled()('site').where({ id: site.id }).update({ name: '=cmd|<b>"Ōtaki"' });
	});
	const preview = (parts: readonly string[], who: TestPerson, more: Record<string, string> = {}) => {
		const search = new URLSearchParams({ customer: id, from: today, to: today, ...more });
		for (const part of parts) search.append('part', part);
		return get(`/records/reports?${search}`, who);
	};
	const asked = (parts: readonly string[], more: Record<string, string | readonly string[]> = {}) => ({
		customer: id,
		cohort: '',
		from: today,
		to: today,
		parts,
		...more
	});
	/** A form; a field with a list is there as often. */
	function formOf(fields: Readonly<Record<string, string | readonly string[]>>): FormData {
		const form = new FormData();
		for (const [name, given] of Object.entries(fields))
			for (const one of [given].flat()) form.append(name, one);
		return form;
	}
	const ask = async (parts: readonly string[], who = auditor, more = {}) =>
		answerOf(await post('/records/reports?/make', formOf(asked(parts, more)), {}, who));
	/** Asks for a report and waits for it; its id. */
	async function made(parts: readonly string[], who = auditor, more = {}): Promise<string> {
		const answer = await ask(parts, who, more);
		expect(answer.type, JSON.stringify(answer)).to.equal('redirect');
		const report = answer.location!.split('/').at(-1)!;
		await ended(report);
		return report;
	}
	const stateOf = (report: string) => unwalled()('report').where({ id: report }).first();
	const ended = (report: string) =>
		onChange(['reports'], async () => (await stateOf(report))?.state !== 'waiting');
	const file = (report: string, kind: string, who = auditor) =>
		get(`/records/reports/${report}/${kind}`, who);

	it('say on the page, on paper and in figures the same, of their customer alone', async () => {
		const page = await (await preview(REPORT_PARTS_IN_ORDER, auditor)).text();
		expect(page).to.include(customer).and.include('=cmd|&lt;b>"Ōtaki"');
		expect(page).to.not.include('Southfold');
		const report = await made(REPORT_PARTS_IN_ORDER);
		expect((await stateOf(report)).state).to.equal('made');
		const kept = await (await get(`/records/reports/${report}`, auditor)).text();
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
		expect(text).to.include(customer.replaceAll(' ', '')).and.include('Whatthereis').and.include('Ōtaki');
		const units = await unwalled()('unit').where({ customer_id: id }).select('serial');
		for (const { serial } of units) expect(text).to.include(serial);
	});

	it('stay as they were made, whatever becomes of what they tell', async () => {
		const report = await made(['inventory']);
		const [before, csv] = [
			await (await file(report, 'pdf')).arrayBuffer(),
			await (await file(report, 'csv')).text()
		];
		await boundUnit('router', customer);
		expect(Buffer.from(await (await file(report, 'pdf')).arrayBuffer()).equals(Buffer.from(before))).to.equal(
			true
		);
		expect(await (await file(report, 'csv')).text()).to.equal(csv);
		expect(await (await file(await made(['inventory']), 'csv')).text()).to.not.equal(csv);
	});

	it('over nothing say so; what is not asked rightly is refused in words', async () => {
		const nothing = await (
			await preview(['alerts', 'rollouts', 'proofs', 'figures'], auditor, {
				from: '2001-01-01',
				to: '2001-01-31'
			})
		).text();
		expect(nothing)
			.to.include('Nothing was told of in that time.')
			.and.include('There was no rollout in that time.')
			.and.include('Nothing is known of that time.');
		const wrong = async (parts: readonly string[], more = {}) => (await ask(parts, auditor, more)).data;
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
		expect(await (await preview(['inventory'], auditor, { to: '2001-01-31' })).text()).to.include(
			'It ends before it begins.'
		);
		expect((await get(`/records/reports/${uuid()}`, auditor)).status).to.equal(404);
		expect((await file(uuid(), 'pdf')).status).to.equal(404);
		expect((await file(await made(['inventory']), 'exe')).status).to.equal(404);
	});

	it('tell nobody of others, nor what people did to those who may not see records', async () => {
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const reader = await newPerson({ [customer]: 'reader' });
		expect((await preview(['inventory'], stranger)).status).to.equal(404);
		expect((await ask(['inventory'], stranger)).type).to.equal('failure');
		const theirs = await made(['inventory', 'standing', 'changes', 'units'], stranger, { customer: '' });
		expect(await (await file(theirs, 'csv', stranger)).text()).to.not.include(customer);
		const ours = await made(['changes', 'inventory']);
		for (const [report, who] of [
			[ours, stranger],
			[ours, reader],
			[theirs, coordinator]
		] as const) {
			expect((await get(`/records/reports/${report}`, who)).status).to.equal(404);
			expect((await file(report, 'csv', who)).status).to.equal(404);
			expect(await (await get('/records/reports', who)).text()).to.not.include(report);
		}
		// Of a customer those who read its records share what is made of it
		expect((await file(ours, 'csv', coordinator)).status).to.equal(200);
		const short = await made(['changes', 'secrets', 'inventory'], reader);
		expect(await (await file(short, 'csv', reader)).text())
			.to.include('What there is')
			.and.not.include('Who changed what')
			.and.not.include('secrets');
		// Who reads here and works there is told what people did there alone
		const both = await newPerson({ [customer]: 'reader', 'Pippin & Loaf': 'engineer' });
		const all = await (
			await file(await made(['changes', 'inventory'], both, { customer: '' }), 'csv', both)
		).text();
		expect(all).to.include(customer);
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
		const model = await unwalled()('unit').join('model', 'model.id', 'unit.model_id').where({ customer_id: id, role_id: 'access-point' }).first('model.id as id'); // prettier-ignore
		const cohort = uuid();
		await unwalled()('cohort').insert({
			id: cohort,
			customer_id: id,
			name: 'aerials',
			rule: `model=${model.id}`,
			by_whom: 'tests'
		});
		const csv = await (
			await file(await made(['inventory', 'units', 'firmware'], auditor, { cohort }), 'csv')
		).text();
		const others = await unwalled()('unit')
			.where({ customer_id: id })
			.whereNot({ model_id: model.id })
			.select('serial');
		const those = await unwalled()('unit').where({ customer_id: id, model_id: model.id }).select('serial');
		for (const { serial } of those) expect(csv).to.include(serial);
		for (const { serial } of others) expect(csv).to.not.include(serial);
		const page = await (await preview(['inventory'], auditor, { cohort })).text();
		expect(page).to.include('the units of the cohort “aerials”');
		expect((await preview(['inventory'], auditor, { cohort: uuid() })).status).to.equal(404);
	});

	it('tell chosen figures of how units did, as their days say', async () => {
		const { unitId } = await boundUnit('gateway', customer);
		const unit = await unwalled()('unit').where({ id: unitId }).first('serial');
		const days = [0, 1].map((one) => new Date(Date.parse('2026-10-05T00:00Z') + one * DAY_MS));
		for (const [at, mean] of [[days[0], 20], [days[1], 40]] as const) // prettier-ignore
			await unwalled()('health_day').insert({
				unit_id: unitId, customer_id: id, at, figures: JSON.stringify({ processor: [10, mean, mean * 2, 1], 'sent:wan': [1, 5, 9, 1] })
			}); // prettier-ignore
		const csv = await (
			await file(
				await made(['figures'], auditor, {
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

	describe('that are sent regularly', () => {
		const recipients = 'ops@marlstone.example';
		const rhythm = (more: Record<string, string> = {}) =>
			formOf({
				...asked(['inventory', 'changes']),
				id: '',
				edit: '0',
				name: 'Monthly',
				every: 'day',
				weekday: '1',
				monthDay: '1',
				hour: '7',
				zone: 'UTC',
				recipients,
				...more
			});
		const save = async (who: TestPerson, more: Record<string, string> = {}) =>
			answerOf(await post('/records/reports?/schedule', rhythm(more), {}, who));
		/** A schedule that was stated some days ago. */
		async function scheduled(who = coordinator, more: Record<string, string> = {}) {
			const answer = await save(who, more);
			expect(answer.type, JSON.stringify(answer)).to.equal('redirect');
			const schedule = answer.location!.split('/').at(-1)!;
			await unwalled()('report_schedule')
				.where({ id: schedule })
				.update({ since: new Date(Date.now() - 10 * DAY_MS) });
			return schedule;
		}
		/** Of each day its report, once the clock has come so far. */
		async function sentBy(schedule: string, now = Date.now()) {
			await runAs(BOOTSTRAP, () => makeWhatIsDue(now));
			const all = await unwalled()('report').where({ schedule_id: schedule }).orderBy('day');
			for (const one of all) await ended(one.id);
			return unwalled()('report').where({ schedule_id: schedule }).orderBy('day');
		}
		const letters = (report: string) => unwalled()('mail').where({ report_id: report }).orderBy('id');

		it('are made once for each day that is due, also by two at once and after days without anybody, each with its letter', async () => {
			const schedule = await scheduled(coordinator, {
				recipients: 'a@marlstone.example\nb@marlstone.example'
			});
			const noon = Date.parse(`${today}T12:00Z`);
			const due = () => runAs(BOOTSTRAP, () => makeWhatIsDue(noon));
			await unwalled()('report_schedule')
				.where({ id: schedule })
				.update({ last_day: new Date(noon - 3 * DAY_MS) });
			await Promise.all([due(), due()]);
			const reports = await sentBy(schedule, noon);
			expect(reports).to.have.length(3);
			expect(reports.map(({ state }) => state)).to.deep.equal(['made', 'made', 'made']);
			expect(reports.map(({ asked: { from, to } }) => from === to)).to.deep.equal([true, true, true]);
			const told = await letters(reports[0].id);
			expect(told.map(({ to_address }) => to_address)).to.deep.equal([
				'a@marlstone.example',
				'b@marlstone.example'
			]);
			expect(told[0].subject).to.include(customer).and.include('report');
			expect(told[0].text).to.include(`/records/reports/${reports[0].id}`);
			const page = await (await get(`/records/reports/schedules/${schedule}`, coordinator)).text();
			for (const { id: one } of reports) expect(page).to.include(one);
			expect(await (await get(`/records/reports/${reports[0].id}`, auditor)).text()).to.include(
				'a@marlstone.example'
			);
		});

		it('are stated, changed and ended by those who may send there, and nobody else’s change is lost', async () => {
			for (const who of [
				auditor,
				await newPerson({ [customer]: 'technician' }),
				await newPerson({ 'Pippin & Loaf': 'coordinator' })
			])
				expect((await save(who)).type).to.not.equal('redirect');
			expect(JSON.stringify((await save(coordinator, { recipients: 'nobody' })).data)).to.include(
				'is no e-mail address'
			);
			expect(JSON.stringify((await save(coordinator, { zone: 'Mars/Olympus' })).data)).to.include(
				'no such time zone'
			);
			expect(JSON.stringify((await save(coordinator, { hour: '24' })).data)).to.include('At which hour?');
			const schedule = await scheduled();
			const change = async (edit: string, name: string) =>
				answerOf(
					await post(
						`/records/reports/schedules/${schedule}?/save`,
						rhythm({ id: schedule, edit, name }),
						{},
						coordinator
					)
				);
			expect((await change('1', 'Weekly')).type).to.equal('success');
			expect(JSON.stringify((await change('1', 'Late')).data)).to.include(
				'Somebody else has changed this schedule'
			);
			expect(await (await get(`/records/reports/schedules/${schedule}`, auditor)).text())
				.to.include('Weekly')
				.and.not.include('Send it no more');
			const end = (who: TestPerson) =>
				post(`/records/reports/schedules/${schedule}?/end`, { schedule }, {}, who);
			expect((await answerOf(await end(auditor))).type).to.not.equal('redirect');
			expect((await answerOf(await end(coordinator))).type).to.equal('redirect');
			expect(await sentBy(schedule)).to.have.length(0);
			expect((await get(`/records/reports/schedules/${schedule}`, coordinator)).status).to.equal(404);
		});

		it('tell what whoever stated them may see now: who may no more has none made, and is told why by letter', async () => {
			const leaving = await newPerson({ [customer]: 'coordinator' });
			const schedule = await scheduled(leaving);
			await unwalled()('membership').where({ person_id: leaving.id }).update({ duty: 'reader' });
			const [report] = (await sentBy(schedule)).slice(-1);
			expect(report.state).to.equal('failed');
			expect(report.problem).to.include(leaving.name);
			expect((await letters(report.id)).map(({ to_address }) => to_address)).to.deep.equal([leaving.email]);
			const page = await (await get('/records/reports', auditor)).text();
			expect(page).to.include('the last was not made');
		});

		it('whose zone is known no more hold up no other', async () => {
			const [lost, well] = [await scheduled(), await scheduled()];
			await unwalled()('report_schedule').where({ id: lost }).update({ zone: 'Atlantis/Lost' });
			expect((await sentBy(well)).at(-1)!.state).to.equal('made');
			expect(await sentBy(lost)).to.have.length(0);
			expect((await get(`/records/reports/schedules/${lost}`, coordinator)).status).to.equal(200);
			await unwalled()('report_schedule').where({ id: lost }).update({ ended_at: new Date() });
		});

		it('whose cohort was dropped are not made of every unit instead', async () => {
			const cohort = uuid();
			await unwalled()('cohort').insert({
				id: cohort,
				customer_id: id,
				name: `for a while ${cohort}`,
				rule: '',
				by_whom: 'tests'
			});
			const schedule = await scheduled(coordinator, { cohort });
			await unwalled()('cohort').where({ id: cohort }).delete();
			expect((await sentBy(schedule)).at(-1)!.problem).to.match(/no such customer or cohort/);
		});

		it('are sent again to others as they were made; what was sent is kept for the customer’s term', async () => {
			const report = await made(['inventory']);
			const send = async (who: TestPerson, to: string) =>
				answerOf(await post(`/records/reports/${report}?/send`, { report, recipients: to }, {}, who));
			const keptUntil = async () => new Date((await stateOf(report)).keep_until).getTime();
			expect(await keptUntil()).to.be.below(Date.now() + 100 * DAY_MS);
			expect((await send(auditor, 'x@marlstone.example')).type).to.not.equal('success');
			expect((await send(coordinator, 'x@marlstone.example')).type).to.equal('success');
			expect(await letters(report)).to.have.length(1);
			expect(await keptUntil()).to.be.above(Date.now() + 1_000 * DAY_MS);
			await unwalled()('report')
				.where({ id: report })
				.update({ keep_until: new Date(Date.now() - 2 * DAY_MS) });
			await cleanUp();
			expect(await stateOf(report)).to.equal(undefined);
			expect(await letters(report)).to.have.length(0);
		});
	});

	describe('under the name and the logo of their customer', () => {
		const square = (side = 8) => {
			const png = new PNG({ width: side, height: side });
			png.data.fill(200);
			return PNG.sync.write(png);
		};
		const state = async (
			logo: Uint8Array | null,
			{
				who = administrator,
				edit = '0',
				...more
			}: { who?: TestPerson; edit?: string; name?: string; colour?: string } = {}
		) => {
			const form = formOf({ customer: id, edit, name: 'Marlstone Group', colour: '#AA3300', ...more });
			form.set('logo', new File(logo ? [new Uint8Array(logo)] : [], 'logo.png', { type: 'image/png' }));
			return answerOf(await post('/records/reports/look?/state', form, {}, who));
		};

		it('are what administrators state, and no file that is more than a picture', async () => {
			expect((await state(square(), { who: coordinator })).type).to.not.equal('success');
			const refused = async (logo: Uint8Array, more = {}) => JSON.stringify((await state(logo, more)).data);
			expect(
				await refused(Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'))
			).to.include('Only PNG and JPEG');
			expect(await refused(Buffer.alloc(300 * 1024))).to.include('200 kB');
			const bomb = square(1_400);
			bomb.writeUInt32BE(4, 16);
			bomb.writeUInt32BE(4, 20);
			expect(await refused(bomb)).to.include('broken');
			expect(await refused(square().subarray(0, 50))).to.include('broken');
			expect(await refused(square(), { colour: 'red;}' })).to.include('As #17665f');
			expect((await state(square())).type).to.equal('success');
			expect(await refused(square())).to.include('Somebody else has changed this');
			const page = await (await preview(['inventory'], auditor)).text();
			expect(page)
				.to.include('Marlstone Group')
				.and.include('data:image/png;base64,')
				.and.match(/#aa3300|170, 51, 0/i);
			const text = await wordsOn(
				new Uint8Array(await (await file(await made(['inventory']), 'pdf')).arrayBuffer())
			);
			expect(text[0]).to.match(/^MarlstoneGroupReport/);
			// Without a file the logo stays
			expect((await state(null, { edit: '1', name: '' })).type).to.equal('success');
			expect(await (await preview(['inventory'], auditor)).text())
				.to.include('data:image/png;base64,')
				.and.not.include('Marlstone Group');
		});
	});
});
