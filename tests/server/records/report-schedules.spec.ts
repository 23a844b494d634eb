import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { PNG } from 'pngjs';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { cleanUp } from '../../../src/lib/server/jobs';
import { makeWhatIsDue } from '../../../src/lib/server/reports';
import { wordsOn } from '../../pdf';
import { answerOf, get, newPerson, post, unwalled, type TestPerson } from '../making';
import { reportScene, DAY_MS, today } from './report-making';

describe('reports of a customer', function () {
	const { scene, preview, asked, formOf, made, stateOf, ended, file } = reportScene();

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
		async function scheduled(who = scene.coordinator, more: Record<string, string> = {}) {
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
			const schedule = await scheduled(scene.coordinator, {
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
			expect(told[0].subject).to.include(scene.customer).and.include('report');
			expect(told[0].text).to.include(`/records/reports/${reports[0].id}`);
			const page = await (await get(`/records/reports/schedules/${schedule}`, scene.coordinator)).text();
			for (const { id: one } of reports) expect(page).to.include(one);
			expect(await (await get(`/records/reports/${reports[0].id}`, scene.auditor)).text()).to.include(
				'a@marlstone.example'
			);
		});

		it('are stated, changed and ended by those who may send there, and nobody else’s change is lost', async () => {
			for (const who of [
				scene.auditor,
				await newPerson({ [scene.customer]: 'technician' }),
				await newPerson({ 'Pippin & Loaf': 'coordinator' })
			])
				expect((await save(who)).type).to.not.equal('redirect');
			expect(JSON.stringify((await save(scene.coordinator, { recipients: 'nobody' })).data)).to.include(
				'is no e-mail address'
			);
			expect(JSON.stringify((await save(scene.coordinator, { zone: 'Mars/Olympus' })).data)).to.include(
				'no such time zone'
			);
			expect(JSON.stringify((await save(scene.coordinator, { hour: '24' })).data)).to.include(
				'At which hour?'
			);
			const schedule = await scheduled();
			const change = async (edit: string, name: string) =>
				answerOf(
					await post(
						`/records/reports/schedules/${schedule}?/save`,
						rhythm({ id: schedule, edit, name }),
						{},
						scene.coordinator
					)
				);
			expect((await change('1', 'Weekly')).type).to.equal('success');
			expect(JSON.stringify((await change('1', 'Late')).data)).to.include(
				'Somebody else has changed this schedule'
			);
			expect(await (await get(`/records/reports/schedules/${schedule}`, scene.auditor)).text())
				.to.include('Weekly')
				.and.not.include('Stop sending it');
			const end = (who: TestPerson) =>
				post(`/records/reports/schedules/${schedule}?/end`, { schedule }, {}, who);
			expect((await answerOf(await end(scene.auditor))).type).to.not.equal('redirect');
			expect((await answerOf(await end(scene.coordinator))).type).to.equal('redirect');
			expect(await sentBy(schedule)).to.have.length(0);
			expect((await get(`/records/reports/schedules/${schedule}`, scene.coordinator)).status).to.equal(404);
		});

		it('tell what whoever stated them may see now: who may no more has none made, and is told why by letter', async () => {
			const leaving = await newPerson({ [scene.customer]: 'coordinator' });
			const schedule = await scheduled(leaving);
			await unwalled()('membership').where({ person_id: leaving.id }).update({ duty: 'reader' });
			const [report] = (await sentBy(schedule)).slice(-1);
			expect(report.state).to.equal('failed');
			expect(report.problem).to.include(leaving.name);
			expect((await letters(report.id)).map(({ to_address }) => to_address)).to.deep.equal([leaving.email]);
			const page = await (await get('/records/reports', scene.auditor)).text();
			expect(page).to.include('the last was not made');
		});

		it('whose zone is known no more hold up no other', async () => {
			const [lost, well] = [await scheduled(), await scheduled()];
			await unwalled()('report_schedule').where({ id: lost }).update({ zone: 'Atlantis/Lost' });
			expect((await sentBy(well)).at(-1)!.state).to.equal('made');
			expect(await sentBy(lost)).to.have.length(0);
			expect((await get(`/records/reports/schedules/${lost}`, scene.coordinator)).status).to.equal(200);
			await unwalled()('report_schedule').where({ id: lost }).update({ ended_at: new Date() });
		});

		it('whose cohort was dropped are not made of every unit instead', async () => {
			const cohort = uuid();
			await unwalled()('cohort').insert({
				id: cohort,
				customer_id: scene.id,
				name: `for a while ${cohort}`,
				rule: '',
				by_whom: 'tests'
			});
			const schedule = await scheduled(scene.coordinator, { cohort });
			await unwalled()('cohort').where({ id: cohort }).delete();
			expect((await sentBy(schedule)).at(-1)!.problem).to.match(/no such customer or cohort/);
		});

		it('are sent again to others as they were made; what was sent is kept for the customer’s term', async () => {
			const report = await made(['inventory']);
			const send = async (who: TestPerson, to: string) =>
				answerOf(await post(`/records/reports/${report}?/send`, { report, recipients: to }, {}, who));
			const keptUntil = async () => new Date((await stateOf(report)).keep_until).getTime();
			expect(await keptUntil()).to.be.below(Date.now() + 100 * DAY_MS);
			expect((await send(scene.auditor, 'x@marlstone.example')).type).to.not.equal('success');
			expect((await send(scene.coordinator, 'x@marlstone.example')).type).to.equal('success');
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
				who = scene.administrator,
				edit = '0',
				...more
			}: { who?: TestPerson; edit?: string; name?: string; colour?: string } = {}
		) => {
			const form = formOf({ customer: scene.id, edit, name: 'Marlstone Group', colour: '#AA3300', ...more });
			form.set('logo', new File(logo ? [new Uint8Array(logo)] : [], 'logo.png', { type: 'image/png' }));
			return answerOf(await post('/records/reports/look?/state', form, {}, who));
		};

		it('are what administrators state, and no file that is more than a picture', async () => {
			expect((await state(square(), { who: scene.coordinator })).type).to.not.equal('success');
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
			const page = await (await preview(['inventory'], scene.auditor)).text();
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
			expect(await (await preview(['inventory'], scene.auditor)).text())
				.to.include('data:image/png;base64,')
				.and.not.include('Marlstone Group');
		});
	});
});
