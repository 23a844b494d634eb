import { expect } from 'chai';
import { database } from '../../../src/lib/server/database';
import { bindUnit } from '../../../src/lib/server/binding';
import {
	addPosition,
	comparedWith,
	copySetUp,
	patternFromSite,
	tryStamping,
	removePosition,
	standingSites
} from '../../../src/lib/server/plan';
import { cellsOfGeoJson, sitesAsGeoJson } from '../../../src/lib/server/plan/map/geojson';
import { ACTOR, answerOf, get, newPerson, newUnit, post, unwalled } from '../making';
import { CUSTOMER, fresh, profileId, entriesAbout, newPattern, siteForm } from './pattern-making';

describe('a site', () => {
	const make = async (more: Record<string, string> = {}) => {
		const name = fresh('site');
		const answer = await answerOf(
			await post('/sites/new?/plan', { pattern: 'none', ...(await siteForm(name)), ...more })
		);
		expect(answer.location, JSON.stringify(answer)).to.match(/^\/sites\//);
		return { name, id: answer.location!.slice('/sites/'.length) };
	};

	it('is planned, and changed by whoever saw it as it is', async () => {
		const { id, name } = await make();
		const form = {
			...(await siteForm(name)),
			contact: 'Hana Terei',
			appointment: '2027-02-01 10:00',
			edit: '0'
		};
		expect((await answerOf(await post(`/sites/${id}?/change`, form))).location).to.equal(`/sites/${id}`);
		const late = await answerOf(await post(`/sites/${id}?/change`, { ...form, contact: 'Somebody else' }));
		expect(late.data!.problem).to.match(/Somebody else has changed this site/);
		const row = await unwalled()('site').where({ id }).first();
		expect(row.contact).to.equal('Hana Terei');
		expect(row.appointment_at.toISOString()).to.equal('2027-01-31T21:00:00.000Z');
		const entry = await unwalled()('ledger_entry').where({ subject_id: id, act: 'change site' }).first();
		expect(entry.before).to.deep.equal({ contact: '', appointment: '' });
		expect(entry.after).to.deep.equal({
			contact: 'Hana Terei',
			appointment: '2027-02-01 10:00 Pacific/Auckland'
		});
	});

	it('is refused in words with times that are not, half a place, a name that is taken, strangers as technicians', async () => {
		const { id, name } = await make();
		const stranger = await newPerson({ 'Southfold Physio': 'technician' });
		const problem = async (more: Record<string, string>) =>
			(await answerOf(await post(`/sites/${id}?/change`, { ...(await siteForm(name)), edit: '0', ...more })))
				.data?.problem;
		expect(await problem({ appointment: '2026-09-27 02:30' })).to.match(/skipped or comes twice/);
		expect(await problem({ latitude: '-41' })).to.match(/latitude and a longitude/);
		expect(await problem({ latitude: 'north', longitude: '1' })).to.match(/number from/);
		expect(await problem({ technician: stranger.id })).to.match(/does not work for the customer/);
		expect(await problem({ name: (await make()).name })).to.match(/has a site/);
		expect(await problem({ sim: '12' })).to.match(/18 to 20 digits/);
		expect(await problem({ minutes: '1e9' })).to.match(/a day at most/);
	});

	it('gets positions one by one, and loses only those that never had a unit', async () => {
		const { id } = await make();
		const profile = await profileId('Indoor access point');
		const one = await addPosition(id, 'ap-1', profile, ACTOR);
		expect(one.ok).to.equal(true);
		const twice = await addPosition(id, 'ap-1', profile, ACTOR);
		expect(twice.ok || twice.problem).to.match(/has a position/);
		if (!one.ok) return;
		const unit = await newUnit('access-point', CUSTOMER);
		expect((await bindUnit(one.done.id, unit.unitId, ACTOR)).ok).to.equal(true);
		const kept = await removePosition(one.done.id, ACTOR);
		expect(kept.ok || kept.problem).to.match(/Its history stays/);
		const two = await addPosition(id, 'ap-2', profile, ACTOR);
		expect(two.ok && (await removePosition(two.done.id, ACTOR)).ok).to.equal(true);
	});

	it('gives its set-up to another, which keeps what it has; a pattern can be made of it', async () => {
		const [from, to] = [await make(), await make()];
		await addPosition(from.id, 'rt-1', await profileId('Bakery router'), ACTOR);
		await addPosition(from.id, 'ap-1', await profileId('Indoor access point'), ACTOR);
		await addPosition(to.id, 'ap-9', await profileId('Indoor access point'), ACTOR);
		const [compared] = await comparedWith(database(), from.id, [to.id]);
		expect(compared!.following.changes.map(({ kind }) => kind)).to.deep.equal(['add', 'add']);
		const act = await copySetUp(from.id, [to.id], ACTOR);
		expect(act.ok && act.done).to.deep.equal({ sites: 1, changes: 2 });
		const [site] = await standingSites(database(), (query) => query.where('site.id', to.id));
		expect(site!.places.map(({ name }) => name)).to.deep.equal(['ap-1', 'ap-9', 'rt-1']);
		expect(site!.patternId).to.equal(null);
		expect((await patternFromSite(from.id))!.places.map(({ name }) => name)).to.deep.equal(['ap-1', 'rt-1']);
	});

	it('goes out as GeoJSON and comes back the same', async () => {
		const { id, name } = await make({
			latitude: '-44.5',
			longitude: '171.25',
			street: '1, Mill "Lane"',
			uplink: 'dsl'
		});
		const [site] = await standingSites(database(), (query) => query.where('site.id', id));
		const json = sitesAsGeoJson([site!]);
		expect(json.features[0]!.geometry).to.deep.equal({ type: 'Point', coordinates: [171.25, -44.5] });
		const cells = cellsOfGeoJson(Buffer.from(JSON.stringify(json)));
		if (!cells.ok) throw new Error(cells.problem);
		const pattern = await newPattern();
		const read = await tryStamping(
			{ patternId: pattern.id, cells: cells.cells, also: false, allot: false },
			ACTOR
		);
		if (!read.ok) throw new Error(read.problem);
		expect(read.done.unknown).to.deep.equal([]);
		// The same facts: only the pattern's positions would be new
		expect(read.done.rows[0]).to.deep.include({ name, problems: [] });
		expect(read.done.rows[0]!.differences.map(({ what }) => what)).to.deep.equal([
			'position rt-1',
			'position ap-shop'
		]);
		const all = await (await get('/sites/geojson')).json();
		expect(all.features.map((one: { id: string }) => one.id)).to.include(id);
	});

	it('is in the calendar of who goes there, at an address that stops working when there is a new one', async () => {
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		const { name } = await make({
			technician: technician.id,
			appointment: '2027-03-01 10:00',
			directions: 'Ring twice; then, wait'
		});
		const address = async () =>
			(await answerOf(await post('/account?/calendar', {}, {}, technician))).data!.calendarAddress as string;
		const first = await address();
		const text = await (await fetch(first)).text();
		const unfolded = text.replace(/\r\n[ \t]/g, '');
		expect(text).to.match(/^BEGIN:VCALENDAR\r\n/);
		expect(unfolded).to.include(`SUMMARY:${name}\\, ${CUSTOMER}`);
		expect(unfolded).to.include('DTSTART:20270228T210000Z').and.include('DTEND:20270228T220000Z');
		expect(unfolded).to.include('Ring twice\\; then\\, wait');
		const second = await address();
		expect((await fetch(first)).status).to.equal(404);
		expect((await fetch(second)).status).to.equal(200);
		expect((await fetch(second.slice(0, -8))).status).to.equal(404);
	});
});

describe('a customer', () => {
	it('is taken on by administrators, once, after showing again who they are; an empty firm says what comes first', async () => {
		const name = fresh('customer');
		const administrator = await newPerson('administrator');
		const taken = async () => answerOf(await post('/people?/customer', { name }, {}, administrator));
		expect((await taken()).data!.said).to.match(/The customer is there/);
		expect((await taken()).data!.problem).to.match(/There is a customer/);
		const row = await unwalled()('customer').where({ name }).first('id');
		expect(await entriesAbout(row.id)).to.deep.equal(['take on customer']);
		const engineer = await newPerson({ [CUSTOMER]: 'engineer' });
		expect((await post('/people?/customer', { name: fresh('other') }, {}, engineer)).status).to.be.within(
			400,
			403
		);
		expect(await (await get('/sites', engineer)).text()).not.to.include(name);
		// Nobody to plan for is told, not thrown
		const idle = await newPerson({ [CUSTOMER]: 'reader' });
		for (const path of ['/sites/new', '/sites/patterns/new', '/sites/stamp'])
			expect((await get(path, idle)).status, path).to.equal(403);
	});
});
