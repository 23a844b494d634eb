import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { type AlertRule } from '../../../src/core/alerts';
import { alertById, previewRule, watchSilence, watchStates } from '../../../src/lib/server/alerts';
import { runAs } from '../../../src/lib/server/database';
import { unwalled } from '../making';
import { alertScene, asLimen, MINUTE_MS } from './alert-making';

describe('what a person should see', function () {
	const { scene, open, said, online, since, cable, state, figures, watchAll } = alertScene();

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
			runAs({ kind: 'person', personId: scene.engineer.id }, () =>
				previewRule({ about: 'not heard', minutes }, scene.id)
			);
		expect(await preview(10)).to.deep.include({ times: 2, units: 2 });
		expect(await preview(60)).to.deep.include({ times: 0, units: 0 });
		expect((await open()).map(({ unitId, withUnits }) => [unitId, withUnits])).to.deep.equal([
			[feeding.unitId, [fed.unitId]]
		]);
	});

	it('is not told of what is just at its limit, whatever its digits', async () => {
		const unit = await online();
		await state({
			about: 'figure',
			figure: 'temperature',
			side: 'above',
			limit: 90.3,
			back: 80,
			minutes: 10
		});
		await figures(unit, [90.3, 90.3], 'temperature');
		await watchAll();
		expect(await open()).to.deep.equal([]);
		await figures(unit, [90.4, 90.4], 'temperature');
		await watchAll();
		expect(await open()).to.have.length(1);
		expect((await said())[0]).to.include('temperature is 90.4 °C');
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
				customer_id: scene.id,
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
		const preview = await runAs({ kind: 'person', personId: scene.engineer.id }, () =>
			previewRule(rule, scene.id)
		);
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
				customer_id: scene.id,
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
});
