import { expect } from 'chai';
import {
	beginSurvey,
	cancelSurvey,
	dropSurvey,
	keepSpots,
	draggedIn,
	newestMap,
	runsOf,
	saveSurvey
} from '../../../src/lib/server/survey';
import { takeOnById, takeOnFound, unitsOfTakeOn } from '../../../src/lib/server/takeon';
import { onChange } from '../dialling';
import { ACTOR, actorOf, customerId, newPerson, unwalled } from '../making';
import { fresh, must, why } from '../profile/profile-making';
import {
	loadFound,
	endAll,
	network,
	aPort,
	servers,
	listening,
	lodge,
	login,
	asked,
	outcomes,
	over,
	surveyed,
	CUSTOMER
} from './survey-making';

describe('a survey, as it is asked for', () => {
	before(loadFound);
	after(endAll);

	it('is stopped in the middle, taken up after a death, and begun by the clock @long', async () => {
		const [net, port] = [network(), await aPort()];
		// It accepts, and never speaks
		servers.push(await listening(`${net}.1`, port, () => undefined));
		lodge('one-gw').listen(`${net}.2`, port);
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const { id } = must(await saveSurvey(await asked(`${net}.1 ${net}.2`, `${net}.0/24`), ACTOR));
		const stateOf = async (end: number) =>
			await unwalled()('survey_address')
				.where({ address: `${net}.${end}` })
				.orderBy('ordinal', 'desc')
				.first();
		await onChange(['surveys'], async () => (await stateOf(2)).state === 'done');
		expect(why(await beginSurvey(id, ACTOR))).to.equal('It is under way already.');
		must(await cancelSurvey(id, ACTOR));
		expect(await outcomes(id)).to.deep.equal({ [`${net}.1`]: 'not come to', [`${net}.2`]: 'in' });
		expect(why(await cancelSurvey(id, ACTOR))).to.equal('It is not under way.');

		// A run of another process, which died over it
		const dead = (await unwalled()('process').insert({ id: unwalled().raw('gen_random_uuid()'), name: 'dead', ended_at: new Date(), workers_released: true }).returning('id'))[0].id; // prettier-ignore
		const { id: left } = must(
			await saveSurvey(await asked(`${net}.2`, `${net}.0/24`, { every: 'day', atOnce: '1' }), ACTOR)
		);
		await over(left);
		const [run] = await runsOf(left, 1);
		await unwalled()('survey_address')
			.where({ run_id: run!.id })
			.update({ state: 'under way', outcome: null, process_id: dead });
		await unwalled()('survey_run').where({ id: run!.id }).update({ state: 'under way', ended_at: null });
		await over(left);
		expect(await outcomes(left)).to.deep.equal({ [`${net}.2`]: 'in' });

		await unwalled()('survey')
			.where({ id: left })
			.update({ next_at: new Date(Date.now() - 1000) });
		await onChange(['surveys'], async () => (await runsOf(left, 5)).length === 2);
		await over(left);
		expect((await runsOf(left, 1))[0]!.byWhom).to.equal('Limen');
		const { next_at: nextAt } = await unwalled()('survey').where({ id: left }).first('next_at');
		expect(nextAt.getTime()).to.be.greaterThan(Date.now() + 80_000_000);
	});

	it('is refused where it would be too large, or not for whoever wants it', async () => {
		const refused = async (begins: string, ranges: string) =>
			why(await saveSurvey(await asked(begins, ranges), ACTOR));
		expect(await refused('10.0.0.0/12', '10.0.0.0/8')).to.match(/^These are 1,048,576 addresses/);
		expect(await refused('10.0.0.1', '10.1.0.0/16')).to.match(/lies in none of the ranges/);
		const customer = await customerId(CUSTOMER);
		const technician = await actorOf(await newPerson({ [CUSTOMER]: 'technician' }));
		expect(why(await saveSurvey(await asked('10.0.0.1', '10.0.0.0/8'), technician))).to.match(
			/^Engineers of this customer/
		);
		const left = await unwalled()('survey')
			.where({ customer_id: customer })
			.whereRaw(`'10.0.0.0/8'::cidr = any (ranges)`);
		expect(left).to.have.length(0);
	});

	it('keeps where somebody dragged things, and is forgotten with all that it found', async () => {
		const [net, port] = [network(), await aPort()];
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const id = await surveyed(`${net}.1`, `${net}.0/24`);
		expect(await outcomes(id)).to.deep.equal({ [`${net}.1`]: 'port closed' });
		must(await keepSpots(id, { spots: [{ kind: 'group', key: 'birch', x: 10, y: 20 }] }, ACTOR));
		must(await keepSpots(id, { spots: [{ kind: 'group', key: 'birch', x: 30, y: 20 }] }, ACTOR));
		expect(await draggedIn(id)).to.deep.equal({ groups: { birch: { x: 30, y: 20 } }, things: {} });
		must(await keepSpots(id, { spots: [] }, ACTOR));
		expect((await draggedIn(id)).groups).to.deep.equal({});
		must(await dropSurvey(id, ACTOR));
		expect(why(await dropSurvey(id, ACTOR))).to.equal('It is gone already.');
	});

	it('hands what lets in to a take-on: claimed, reached where it was found, and read', async () => {
		const [net, port] = [network(), await aPort()];
		const [birch, cedar] = [lodge('birch-gw'), lodge('cedar-gw')];
		birch.hears('wan0', cedar, { address: `${net}.2` });
		birch.neighbours.push({
			port: 'lan0',
			chassis: '06:00:00:00:00:98',
			neighbourPort: '',
			name: 'tv',
			description: '',
			address: ''
		});
		birch.listen(`${net}.1`, port);
		cedar.listen(`${net}.2`, port);
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const id = await surveyed(`${net}.1`, `${net}.0/24`);
		const { map } = (await newestMap(id))!;
		const keyOf = (name: string) => map.things.find((thing) => thing.name === name)!.key;
		const name = fresh('Found');
		const twins = [lodge('twin-gw'), lodge('other-twin-gw')] as const;
		twins[1].serial = twins[0].serial;
		twins.forEach((one, at) => one.listen(`${net}.${at + 20}`, port));
		const both = await surveyed(`${net}.20 ${net}.21`, `${net}.0/24`);
		const found = (await newestMap(both))!.map;
		expect(found.doubts.join()).to.match(/the same serial number/);
		expect(why(await takeOnFound(both, { name, thing: found.things.map(({ key }) => key) }, ACTOR))).to.match(
			new RegExp(`^${twins[0].serial} is claimed already`)
		);
		expect(why(await takeOnFound(id, { name, thing: [keyOf('tv')] }, ACTOR))).to.match(/^tv does not let in/);
		expect(await unwalled()('take_on').where({ name })).to.have.length(0);
		const begun = must(await takeOnFound(id, { name, thing: [keyOf('birch-gw'), keyOf('cedar-gw')] }, ACTOR));
		await onChange(['take-ons', 'work'], async () => {
			const now = (await takeOnById(begun.id))!;
			return now.units === 2 && now.learnt === now.wanted;
		});
		const units = await unitsOfTakeOn(begun.id);
		expect(units.map((unit) => [unit.name, unit.modelId])).to.deep.equal([
			['birch-gw', 'vt-120'],
			['cedar-gw', 'vt-120']
		]);
		const row = await unwalled()('unit').where({ serial: birch.serial }).first('id', 'mac', 'ownership');
		expect(row).to.include({ mac: birch.mac });
		expect((await newestMap(id))!.map.things.find((thing) => thing.name === 'birch-gw')!.known).to.include({
			unitId: row.id
		});
	});
});
