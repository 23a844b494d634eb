import { expect } from 'chai';
import { inRecords } from '../../programs';
import { v7 as uuid } from 'uuid';
import { alertRuleSchema, type AlertRule } from '../../../src/core/alerts';
import * as v from 'valibot';
import {
	alertById,
	alertRules,
	previewRule,
	watchSilence,
	watchStates
} from '../../../src/lib/server/alerts';
import { runAs } from '../../../src/lib/server/database';
import { boundUnit, get, newPerson, post, unwalled } from '../making';
import { alertScene, asLimen, MINUTE_MS } from './alert-making';

describe('what a person states and takes care of', function () {
	const { scene, open, said, online, since, state, figures, watchAll } = alertScene();

	it('is quiet while Limen is at the unit, and in its site’s window', async () => {
		const unit = await online();
		await since(30, unit);
		await unwalled()('errand').insert({
			id: uuid(),
			unit_id: unit.unitId,
			customer_id: scene.id,
			kind: 'restart',
			state: 'done',
			begun_at: new Date(),
			ended_at: new Date(),
			deadline: new Date()
		});
		await asLimen(() => watchSilence());
		expect(await open()).to.deep.equal([]);
		await unwalled()('errand').where({ unit_id: unit.unitId }).delete();
		const everyDay = { days: [1, 2, 3, 4, 5, 6, 7], from: '00:00', to: '23:59' };
		await unwalled()('window_rule').insert({
			id: uuid(),
			customer_id: scene.id,
			rule: JSON.stringify({
				hours: [everyDay, { ...everyDay, from: '23:59', to: '00:00' }],
				without: [],
				once: [],
				asksFirst: null
			})
		});
		await asLimen(() => watchSilence());
		expect(await open()).to.deep.equal([]);
		await unwalled()('window_rule').where({ customer_id: scene.id }).delete();
		await asLimen(() => watchSilence());
		expect(await open()).to.have.length(1);
	});

	it('is a figure past its limit for long enough, until it is back; as the preview said', async () => {
		const unit = await online();
		const busy: AlertRule = {
			about: 'figure',
			figure: 'processor',
			side: 'above',
			limit: 60,
			back: 50,
			minutes: 15
		};
		const { rule } = await state(busy);
		expect(rule).to.deep.include({ name: 'Of a test', isOn: true, customerId: scene.id });
		await figures(unit, [70, 70, 40, 70, 70]);
		await watchAll();
		expect(await open()).to.deep.equal([]);
		await figures(unit, [40, 70, 71, 72]);
		await watchAll();
		await watchAll();
		const [alert, ...others] = await open();
		expect(others).to.deep.equal([]);
		expect(alert!.words).to.equal(
			'Of a test: processor is 72 %; told when processor above 60 % for 15 minutes, until it is no more than 50 %.'
		);
		const preview = await runAs({ kind: 'person', personId: scene.engineer.id }, () =>
			previewRule(busy, scene.id)
		);
		expect(preview).to.deep.include({ times: 1, units: 1 });
		expect(preview.most[0]).to.include({ unitId: unit.unitId, times: 1 });
		// Under the limit, but not back
		await figures(unit, [55]);
		await watchAll();
		expect(await open()).to.have.length(1);
		await figures(unit, [50]);
		await watchAll();
		expect(await open()).to.deep.equal([]);
	});

	it('is how a unit stands, for long enough: late, running something else, with a voucher that ends', async () => {
		const [due, drifted] = [await boundUnit('gateway', scene.customer), await online()];
		const hence = (minutes: number) => new Date(Date.now() + minutes * MINUTE_MS);
		// Its step is late from half an hour ago on
		const model = await unwalled()('unit').where({ id: due.unitId }).first('model_id');
		const [{ id: group_id }] = await unwalled()('step_group')
			.insert({
				step: 'calling',
				model_id: model.model_id,
				uplink: uuid(),
				median: 30,
				late: 60,
				stalled: 1e6,
				learnt_at: new Date(),
				learnt: JSON.stringify({})
			})
			.returning('id');
		await unwalled()('run').where({ id: due.runId }).update({ step: 'calling', group_id });
		await unwalled()('run')
			.where({ id: due.runId })
			.update({ since: hence(-31) });
		await unwalled()('unit_drift').insert({
			unit_id: drifted.unitId,
			customer_id: scene.id,
			position_id: drifted.positionId,
			look_id: uuid(),
			state: 'differs',
			looked_at: new Date(),
			since: hence(-30)
		});
		const voucher = { customer_id: scene.id, maker_id: 'okapira', next_at: null };
		const owner_key_id = (await unwalled()('owner_key').first('id')).id;
		for (const { unitId } of [due, drifted])
			await unwalled()('voucher')
				.insert({
					unit_id: unitId,
					...voucher,
					content: Buffer.from('x'),
					owner_key_id,
					made_at: hence(-60),
					expires_at: hence(3 * 1440)
				})
				.onConflict('unit_id')
				.merge();
		for (const [rule, words] of [
			[{ about: 'late', minutes: 20 }, 'Of a test: Its step “calling” takes longer than most like it.'],
			[{ about: 'drift', minutes: 20 }, 'Of a test: It runs something other than it should.'],
			[{ about: 'ending', days: 7 }, 'Of a test: Its voucher ends on']
		] as const) {
			const { rule: stated } = await state(rule);
			await asLimen(() => watchStates(hence(-15)));
			// Of a voucher it makes no difference whether it ends in three days or in a little more
			if (rule.about !== 'ending') expect(await said(), rule.about).to.deep.equal([]);
			await asLimen(() => watchStates());
			await asLimen(() => watchStates());
			const told = await open();
			expect(
				told.map((one) => [one.unitId, one.times, one.words.startsWith(words)]),
				rule.about
			).to.deep.equal([[rule.about === 'drift' ? drifted.unitId : due.unitId, 1, true]]);
			const preview = await runAs({ kind: 'person', personId: scene.engineer.id }, () =>
				previewRule(rule, scene.id)
			);
			expect(preview.units, `preview of ${rule.about}`).to.equal(rule.about === 'drift' ? 0 : 1);
			await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, scene.engineer);
			expect(await open()).to.deep.equal([]);
		}
		await state({ about: 'late', minutes: 20 });
		await asLimen(() => watchStates());
		expect(await open()).to.have.length(1);
		await unwalled()('run').where({ id: due.runId }).update({ step: 'identity', since: new Date() });
		await asLimen(() => watchStates());
		expect(await open()).to.deep.equal([]);
		// Nothing was learnt for it: no page may count on it
		await unwalled()('step_group').where({ id: group_id }).delete();
	});

	it('is taken care of by somebody, noted on, and ends all the same by itself', async () => {
		const unit = await online();
		await since(20, unit);
		await asLimen(() => watchSilence());
		const [alert] = await open();
		const technician = await newPerson({ [scene.customer]: 'technician' });
		const reader = await newPerson({ [scene.customer]: 'reader' });
		const page = `/upkeep/alerts/${alert!.id}`;
		expect((await post(`${page}?/take`, { alert: alert!.id }, {}, reader)).status).to.equal(403);
		await post(`${page}?/take`, { alert: alert!.id }, {}, technician);
		await post(
			`${page}?/note`,
			{ alert: alert!.id, words: 'Breaker <b>fell</b>; the café calls an electrician.' },
			{},
			technician
		);
		const whole = (await asLimen(() => alertById(alert!.id)))!;
		expect(whole).to.deep.include({
			owner: inRecords(technician.name),
			seenBy: inRecords(technician.name),
			endedAt: null,
			notes: 1
		});
		const shown = await (await get(page, scene.engineer)).text();
		expect(shown).to.include('Breaker &lt;b>fell');
		await since(null, unit);
		await asLimen(() => watchSilence());
		expect((await asLimen(() => alertById(alert!.id)))!.endedAt).to.not.equal(null);
		const late = await post(`${page}?/take`, { alert: alert!.id }, {}, technician);
		expect(await late.text()).to.include('It has ended');
	});

	it('is stated by engineers for their customers, and for all by administrators; by nobody over another’s words', async () => {
		const rule: AlertRule = { about: 'not heard', minutes: 60 };
		const coordinator = await newPerson({ [scene.customer]: 'coordinator' });
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect((await state(rule, coordinator)).rule).to.equal(undefined);
		expect((await state(rule, elsewhere)).rule).to.equal(undefined);
		expect((await state(rule, scene.engineer, { customer: '' })).rule).to.equal(undefined);
		expect((await state({ ...rule, minutes: 0 } as AlertRule)).rule).to.equal(undefined);
		const { rule: stated } = await state(rule);
		const changed = await state({ ...rule, minutes: 30 }, scene.engineer, { id: stated!.id, edit: '1' });
		expect(v.parse(alertRuleSchema, changed.rule!.rule)).to.deep.equal({ about: 'not heard', minutes: 30 });
		const late = await state({ ...rule, minutes: 5 }, scene.engineer, { id: stated!.id, edit: '1' });
		expect(await late.answer.text()).to.include('Somebody else has changed this rule meanwhile');
		const dropped = await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, elsewhere);
		expect(await dropped.text()).to.not.include('no longer told');
		await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, scene.engineer);
		expect((await asLimen(alertRules)).some((one) => one.customerId === scene.id)).to.equal(false);
	});

	it('stays on the page while it goes on, however many others have come and ended since', async () => {
		const unit = await online();
		const made = (part: string, isOver: boolean) => ({
			id: uuid(),
			unit_id: unit.unitId,
			customer_id: scene.id,
			kind: 'changed outside',
			words: `It is the one of ${part}.`,
			part,
			ended_at: isOver ? new Date() : null
		});
		const first = made('now 0', false);
		const over = Array.from({ length: 60 }, (_, at) => made(`later ${at}`, true));
		await unwalled()('alert').insert([first, ...over]);
		const page = async (query = '') => (await get(`/upkeep/events${query}`, scene.engineer)).text();
		const shown = (text: string) => Array.from(text.matchAll(/data-alert="([^"]+)"/g), ([, id]) => id);
		expect(shown(await page())).to.deep.equal([first.id]);
		const asMany = Array.from({ length: 50 }, (_, at) => made(`now ${at + 1}`, false));
		await unwalled()('alert').insert(asMany);
		const full = await page();
		expect(shown(full)).to.deep.equal(asMany.map(({ id }) => id).reverse());
		const [, more] = /href="(\?after=[^"]+)"/.exec(full)!;
		expect(shown(await page(more))).to.deep.equal([first.id]);
	});
});
