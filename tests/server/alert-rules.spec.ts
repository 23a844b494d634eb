import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { alertRuleSchema, type AlertRule } from '../../src/core/alerts';
import { SLOT_MS } from '../../src/core/health';
import * as v from 'valibot';
import {
	alertById,
	alertRules,
	alerts,
	previewRule,
	watchFigures,
	watchSilence,
	watchStates
} from '../../src/lib/server/alerts';
import { BOOTSTRAP, runAs } from '../../src/lib/server/database';
import { keepReadings } from '../../src/lib/server/health';
import {
	boundUnit,
	customerId,
	customerLike,
	get,
	newPerson,
	openPosition,
	post,
	unwalled,
	type TestPerson
} from './making';

const MINUTE_MS = 60_000;
const asLimen = <Result>(work: () => Promise<Result>) => runAs(BOOTSTRAP, work);

describe('what a person should see', function () {
	let customer: string;
	let id: string;
	let engineer: TestPerson;
	beforeEach(async () => {
		// Nothing that other tests do to units goes on there
		customer = await customerLike('Marlstone Veterinary');
		id = await customerId(customer);
		engineer = await newPerson({ [customer]: 'engineer' });
	});
	const open = () => asLimen(() => alerts([id])).then((all) => all.filter(({ endedAt }) => endedAt === null));
	const said = async () => (await open()).map(({ words }) => words);

	/** A unit that came through and is connected, at a site of its own or beside another. */
	async function online(role: 'gateway' | 'access-point' = 'gateway', beside?: string) {
		const place = await openPosition(role, customer);
		if (beside)
			await unwalled().raw(
				`update position set site_id = other.site_id, name = position.name || right(position.id::text, 6) from position other where other.id = ? and position.id = ?`,
				[beside, place]
			);
		const unit = await boundUnit(role, customer, place);
		for (const step of ['calling', 'identity', 'firmware', 'configuration', 'proof', 'online'])
			await unwalled()('run')
				.where({ id: unit.runId })
				.update({
					step,
					...(step === 'online' && { outcome: 'through', ended_at: new Date(Date.now() - 86_400_000) })
				});
		const process = uuid();
		await unwalled()('process').insert({ id: process, name: 'of a test' });
		await unwalled()('unit_connection').insert({
			unit_id: unit.unitId,
			customer_id: id,
			process_id: process,
			session: uuid(),
			way: 'home over SSH'
		});
		return unit;
	}
	type Unit = Awaited<ReturnType<typeof online>>;
	const since = (minutes: number | null, ...units: readonly Unit[]) =>
		unwalled()('unit_connection')
			.whereIn(
				'unit_id',
				units.map(({ unitId }) => unitId)
			)
			.update({
				since: new Date(0),
				ended_at: minutes === null ? null : new Date(Date.now() - minutes * MINUTE_MS)
			});
	const cable = async (near: Unit, far: Unit) => {
		const { site_id } = await unwalled()('position').where({ id: near.positionId }).first('site_id');
		await unwalled()('cable').insert({
			id: uuid(),
			site_id,
			customer_id: id,
			near_position: near.positionId,
			near_port: `p${far.serial}`,
			far_position: far.positionId,
			far_port: 'up'
		});
	};
	/** States a rule through the form that people have. */
	async function state(rule: AlertRule, as = engineer, more: Record<string, string> = {}) {
		const form = { customer: id, name: 'Of a test', rule: JSON.stringify(rule), on: 'on', ...more };
		const answer = await post('/upkeep/alerts/rules?/save', form, {}, as);
		return { answer, rule: (await asLimen(alertRules)).find((one) => one.customerId === id) };
	}
	const figures = (unit: Unit, values: readonly number[], key = 'processor') =>
		asLimen(() =>
			keepReadings(
				values.map((value, index) => ({
					unitId: unit.unitId,
					customerId: id,
					at: Date.now() - (values.length - 1 - index) * SLOT_MS,
					figures: { [key]: value }
				}))
			)
		);
	/** Whatever minute it is that its turn comes in. */
	const watchAll = async () => {
		const now = Math.floor(Date.now() / SLOT_MS) * SLOT_MS;
		for (let minute = 0; minute < 5; minute++)
			await asLimen(() => watchFigures(new Date(now + minute * MINUTE_MS)));
	};

	it('is one alert for a site whose way out is down, with all that is away because of it, until it is back', async () => {
		const gateway = await online();
		const lobby = await online('access-point', gateway.positionId);
		const surgery = await online('access-point', gateway.positionId);
		await since(12, gateway, lobby, surgery);
		for (let times = 0; times < 2; times++) await asLimen(() => watchSilence());
		const [alert, ...others] = await open();
		expect(others).to.deep.equal([]);
		expect(alert).to.include({ kind: 'not heard', unitId: gateway.unitId });
		expect(alert!.withUnits).to.have.members([lobby.unitId, surgery.unitId]);
		expect(alert!.words).to.match(/^Nobody at Test site \d+ is heard.* 2 other units with it\.$/);
		const whole = (await asLimen(() => alertById(alert!.id)))!;
		expect(whole.withUnits.map(({ id: unit }) => unit)).to.have.members([lobby.unitId, surgery.unitId]);
		// One of them comes back, then the way out, and the last one stays away of itself
		await since(null, surgery);
		await asLimen(() => watchSilence());
		expect(await said()).to.deep.equal([`${(await asLimen(() => alertById(alert!.id)))!.words}`]);
		await since(null, gateway);
		await asLimen(() => watchSilence());
		const left = await open();
		expect(left.map(({ unitId, withUnits }) => [unitId, withUnits])).to.deep.equal([[lobby.unitId, []]]);
		await since(null, lobby);
		await asLimen(() => watchSilence());
		expect(await open()).to.deep.equal([]);
	});

	it('names the unit on which the others hang, by the cabling; and says nothing before its time', async () => {
		const gateway = await online();
		const feeding = await online('access-point', gateway.positionId);
		const fed = await online('access-point', gateway.positionId);
		await cable(gateway, feeding);
		await cable(feeding, fed);
		await since(5, feeding, fed);
		await asLimen(() => watchSilence());
		expect(await open()).to.deep.equal([]);
		await since(11, feeding, fed);
		await asLimen(() => watchSilence());
		const preview = (minutes: number) =>
			runAs({ kind: 'person', personId: engineer.id }, () =>
				previewRule({ about: 'not heard', minutes }, id)
			);
		expect(await preview(10)).to.deep.include({ times: 2, units: 2 });
		expect(await preview(60)).to.deep.include({ times: 0, units: 0 });
		expect((await open()).map(({ unitId, withUnits }) => [unitId, withUnits])).to.deep.equal([
			[feeding.unitId, [fed.unitId]]
		]);
	});

	it('is quiet while Limen is at the unit, and in its site’s window', async () => {
		const unit = await online();
		await since(30, unit);
		await unwalled()('errand').insert({
			id: uuid(),
			unit_id: unit.unitId,
			customer_id: id,
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
			customer_id: id,
			rule: JSON.stringify({
				hours: [everyDay, { ...everyDay, from: '23:59', to: '00:00' }],
				without: [],
				once: [],
				asksFirst: null
			})
		});
		await asLimen(() => watchSilence());
		expect(await open()).to.deep.equal([]);
		await unwalled()('window_rule').where({ customer_id: id }).delete();
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
		expect(rule).to.deep.include({ name: 'Of a test', isOn: true, customerId: id });
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
		const preview = await runAs({ kind: 'person', personId: engineer.id }, () => previewRule(busy, id));
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

	it('is over when what it was about is there no more; one reading without it says nothing yet', async () => {
		const unit = await online();
		await state({ about: 'figure', figure: 'errors', side: 'above', limit: 5, back: 1, minutes: 5 });
		await figures(unit, [9, 9], 'errors:ge1');
		await watchAll();
		expect(await open()).to.have.length(1);
		const older = (minutes: number) =>
			unwalled().raw(`update health_reading set at = at - make_interval(mins => ?) where unit_id = ?`, [
				minutes,
				unit.unitId
			]);
		await older(10);
		await figures(unit, [20], 'processor');
		await watchAll();
		expect(await open()).to.have.length(1);
		await older(10);
		await figures(unit, [20, 20], 'processor');
		await watchAll();
		expect(await open()).to.deep.equal([]);
	});

	it('is what units say, so often; one that matches everything ends too', async () => {
		const unit = await online();
		const rule: AlertRule = { about: 'said', words: 'fan', severity: 4, times: 3, minutes: 10 };
		await state(rule);
		const say = (minutesAgo: number, severity = 3) =>
			unwalled()('event').insert({
				id: uuid(),
				unit_id: unit.unitId,
				customer_id: id,
				at: new Date(Date.now() - minutesAgo * MINUTE_MS),
				severity,
				facility: 1,
				app: 'env',
				kind: '',
				words: 'Fan 2 stands still',
				form: 'rfc5424'
			});
		await say(3);
		await say(2);
		await say(1, 6);
		await asLimen(() => watchStates());
		expect(await open()).to.deep.equal([]);
		await say(0);
		await asLimen(() => watchStates());
		expect(await said()).to.deep.equal(['Of a test: 3 times, last “Fan 2 stands still”.']);
		const preview = await runAs({ kind: 'person', personId: engineer.id }, () => previewRule(rule, id));
		expect(preview.units).to.equal(1);
		await asLimen(() => watchStates(new Date(Date.now() + 30 * MINUTE_MS)));
		expect(await open()).to.deep.equal([]);
	});

	it('is one alert for a hub and the sites whose tunnels end there', async () => {
		const [hub, branch, other] = [await online(), await online(), await online()];
		const beside = await online('access-point', branch.positionId);
		for (const [index, near] of [branch, other].entries())
			await unwalled()('tunnel').insert({
				id: uuid(),
				customer_id: id,
				name: `t${index}-${hub.unitId.slice(0, 8)}`,
				near_position: near.positionId,
				far_position: hub.positionId,
				block: `10.9.${index}.0/31`,
				secret: 'sealed'
			});
		await since(20, hub, branch, beside);
		await since(null, other);
		await asLimen(() => watchSilence());
		const [alert, ...more] = await open();
		expect(more).to.deep.equal([]);
		expect(alert!.unitId).to.equal(hub.unitId);
		expect([...alert!.withUnits].sort()).to.deep.equal([branch.unitId, beside.unitId].sort());
		expect(alert!.words).to.match(/is not heard\. Nor is 1 site whose tunnels end there\.$/);
		// The hub is back, the branch is not: it is an alert of its own
		await since(null, hub);
		await asLimen(() => watchSilence());
		expect((await open()).map(({ unitId }) => unitId)).to.deep.equal([branch.unitId]);
	});

	it('is how a unit stands, for long enough: late, running something else, with a voucher that ends', async () => {
		const [due, drifted] = [await boundUnit('gateway', customer), await online()];
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
			customer_id: id,
			position_id: drifted.positionId,
			look_id: uuid(),
			state: 'differs',
			looked_at: new Date(),
			since: hence(-30)
		});
		const voucher = { customer_id: id, maker_id: 'okapira', next_at: null };
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
			const preview = await runAs({ kind: 'person', personId: engineer.id }, () => previewRule(rule, id));
			expect(preview.units, `preview of ${rule.about}`).to.equal(rule.about === 'drift' ? 0 : 1);
			await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, engineer);
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
		const technician = await newPerson({ [customer]: 'technician' });
		const reader = await newPerson({ [customer]: 'reader' });
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
			owner: technician.name,
			seenBy: technician.name,
			endedAt: null,
			notes: 1
		});
		const shown = await (await get(page, engineer)).text();
		expect(shown).to.include('Breaker &lt;b>fell');
		await since(null, unit);
		await asLimen(() => watchSilence());
		expect((await asLimen(() => alertById(alert!.id)))!.endedAt).to.not.equal(null);
		const late = await post(`${page}?/take`, { alert: alert!.id }, {}, technician);
		expect(await late.text()).to.include('It has ended');
	});

	it('is stated by engineers for their customers, and for all by administrators; by nobody over another’s words', async () => {
		const rule: AlertRule = { about: 'not heard', minutes: 60 };
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect((await state(rule, coordinator)).rule).to.equal(undefined);
		expect((await state(rule, elsewhere)).rule).to.equal(undefined);
		expect((await state(rule, engineer, { customer: '' })).rule).to.equal(undefined);
		expect((await state({ ...rule, minutes: 0 } as AlertRule)).rule).to.equal(undefined);
		const { rule: stated } = await state(rule);
		const changed = await state({ ...rule, minutes: 30 }, engineer, { id: stated!.id, edit: '1' });
		expect(v.parse(alertRuleSchema, changed.rule!.rule)).to.deep.equal({ about: 'not heard', minutes: 30 });
		const late = await state({ ...rule, minutes: 5 }, engineer, { id: stated!.id, edit: '1' });
		expect(await late.answer.text()).to.include('Somebody else has changed this rule meanwhile');
		const dropped = await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, elsewhere);
		expect(await dropped.text()).to.not.include('told no more');
		await post('/upkeep/alerts/rules?/drop', { id: stated!.id }, {}, engineer);
		expect((await asLimen(alertRules)).some((one) => one.customerId === id)).to.equal(false);
	});
});
