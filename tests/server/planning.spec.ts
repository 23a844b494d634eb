import { expect } from 'chai';
import { randomInt } from 'node:crypto';
import { database } from '../../src/lib/server/database';
import { bindUnit } from '../../src/lib/server/onboarding';
import {
	addPosition,
	comparedWith,
	copySetUp,
	createPool,
	followersOf,
	letFollow,
	patternById,
	patternFromSite,
	rehearseStamping,
	removePattern,
	removePosition,
	savePattern,
	stampSites,
	standingSites,
	type PatternInput
} from '../../src/lib/server/plan';
import { cellsOfGeoJson, sitesAsGeoJson } from '../../src/lib/server/plan/geojson';
import {
	ACTOR,
	answerOf,
	customerId,
	doneBy,
	get,
	newPerson,
	newUnit,
	post,
	TEST_SITE,
	unwalled
} from './making';

const CUSTOMER = 'Pippin & Loaf';
let named = randomInt(1_000_000) * 100;
const fresh = (word: string) => `${TEST_SITE} ${word} ${++named}`;
const profileId = async (name: string): Promise<string> =>
	(await unwalled()('profile').where({ name }).first('id')).id;
const entriesAbout = (subject: string) =>
	unwalled()('ledger_entry').where({ subject_id: subject }).orderBy('id').pluck('act');

const BAKERY: readonly (readonly [string, string])[] = [
	['rt-1', 'Bakery router'],
	['ap-shop', 'Indoor access point']
];
async function newPattern(
	places: readonly (readonly [string, string])[] = BAKERY,
	values: PatternInput['siteValues'] = {}
) {
	const input: PatternInput = {
		id: null,
		edit: 0,
		name: fresh('pattern'),
		note: '',
		siteValues: values,
		places: await Promise.all(
			places.map(async ([name, profile]) => ({
				id: null,
				name,
				profileId: await profileId(profile),
				values: {}
			}))
		)
	};
	const act = await savePattern(await customerId(CUSTOMER), input, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return { ...input, id: act.done.id };
}
const sitesOf = (patternId: string) =>
	standingSites(database(), (query) => query.where('pattern_id', patternId));
/** The pattern as it is, ready to be changed. */
async function again(patternId: string): Promise<PatternInput> {
	const { id, edit, name, note, places } = (await patternById(database(), patternId))!;
	return { id, edit, name, note, siteValues: {}, places: places.map((place) => ({ ...place, values: {} })) };
}
async function stamped(patternId: string, cells: string[][], { also = false, allot = false } = {}) {
	const stamping = { patternId, cells, also, allot };
	const rehearsed = await rehearseStamping(stamping, ACTOR);
	if (!rehearsed.ok) throw new Error(rehearsed.problem);
	const act = await stampSites(stamping, rehearsed.done.seal, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return act.done;
}

describe('stamping sites from a pattern', () => {
	it('makes forty at once with their positions, once however often, and shows it all before', async () => {
		const pattern = await newPattern();
		const names = Array.from({ length: 40 }, () => fresh('bakery'));
		const cells = [
			['Town', 'site', 'uplink', 'lat', 'lng', 'appointment'],
			...names.map((name, index) => [
				'Timaru',
				name,
				index % 2 ? 'DSL' : 'fibre',
				'-44.4',
				'171.25',
				'2027-01-05 09:30'
			])
		];
		const stamping = { patternId: pattern.id, cells, also: false, allot: false };
		const rehearsed = await rehearseStamping(stamping, ACTOR);
		expect(rehearsed.ok && rehearsed.done.rows.map(({ verdict }) => verdict)).to.deep.equal(
			names.map(() => 'new')
		);
		expect(await sitesOf(pattern.id), 'a rehearsal keeps nothing').to.deep.equal([]);

		const act = await stampSites(stamping, rehearsed.ok ? rehearsed.done.seal : '', ACTOR);
		expect(act.ok && act.done).to.deep.include({ created: 40, changed: 0 });
		const sites = await sitesOf(pattern.id);
		expect(sites.map(({ facts }) => facts.name)).to.have.members(names);
		for (const { places, facts, appointmentAt } of sites) {
			expect(places.map(({ name }) => name)).to.deep.equal(['ap-shop', 'rt-1']);
			expect(facts.timeZone, 'as most sites of the customer').to.equal('Pacific/Auckland');
			expect(new Date(appointmentAt!).toISOString()).to.equal('2027-01-04T20:30:00.000Z');
		}
		expect(await entriesAbout(pattern.id)).to.deep.equal(['make pattern', 'stamp sites']);

		const second = await rehearseStamping({ ...stamping, also: true }, ACTOR);
		expect(second.ok && second.done).to.deep.include({ created: 0, changed: 0 });
		expect(second.ok && new Set(second.done.rows.map(({ verdict }) => verdict))).to.deep.equal(
			new Set(['same'])
		);
		const nothing = await stampSites(stamping, second.ok ? second.done.seal : '', ACTOR);
		expect(nothing).to.deep.include({ ok: false });
		expect((await sitesOf(pattern.id)).length).to.equal(40);
	});

	it('leaves out lines that are wrong, and does nothing when the world is not as it was shown', async () => {
		const pattern = await newPattern();
		const [good, bad] = [fresh('good'), fresh('bad')];
		const stamping = {
			patternId: pattern.id,
			cells: [
				['site', 'uplink', 'technician'],
				[good, 'dsl', ''],
				[bad, 'pigeon', 'Nobody At All'],
				[good, '', '']
			],
			also: false,
			allot: false
		};
		const rehearsed = await rehearseStamping(stamping, ACTOR);
		if (!rehearsed.ok) throw new Error(rehearsed.problem);
		expect(rehearsed.done.rows.map(({ verdict }) => verdict)).to.deep.equal(['new', 'wrong', 'wrong']);
		// Meanwhile somebody plans the same site
		await post('/sites/new', await siteForm(good));
		const late = await stampSites(stamping, rehearsed.done.seal, ACTOR);
		expect(late.ok || late.problem).to.match(/Something has changed since/);
		expect(await sitesOf(pattern.id)).to.deep.equal([]);
	});

	it('gives each new site what the pools have, all or none, and takes a value in the list for what it is', async () => {
		const pattern = await newPattern();
		const customer = await customerId(CUSTOMER);
		// Positions of this profile ask for `networks`, at the site
		await unwalled()('pool').where({ customer_id: customer, field: 'networks' }).delete();
		const pool = await createPool(
			{
				customerId: customer,
				name: fresh('pool'),
				field: 'networks',
				scope: 'site',
				range: { block: `10.${200 + (named % 50)}.0.0/22`, length: 24 },
				policy: 'next-free',
				warnBelow: 0
			},
			ACTOR
		);
		if (!pool.ok) throw new Error(pool.problem);
		const names = [fresh('one'), fresh('two'), fresh('three'), fresh('four'), fresh('five')];
		const stamping = (count: number) => ({
			patternId: pattern.id,
			cells: [['site'], ...names.slice(0, count).map((name) => [name])],
			also: false,
			allot: true
		});
		const asked = await unwalled()('pool').where({ id: pool.done.id }).first();
		expect(asked.field).to.equal('networks');
		const tooMany = await rehearseStamping(stamping(5), ACTOR);
		expect(tooMany.ok || tooMany.problem).to.match(/There is room for 4 more/);
		const { allotted } = await stamped(pattern.id, stamping(4).cells, { allot: true });
		expect(allotted).to.equal(4);
		const values = (await sitesOf(pattern.id)).map((site) => site.values.networks);
		expect(new Set(values).size).to.equal(4);
		await unwalled()('pool').where({ id: pool.done.id }).delete();
	});

	it('is for those who may plan sites for the customer', async () => {
		const pattern = await newPattern();
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		const stamping = { patternId: pattern.id, cells: [['site'], [fresh('x')]], also: false, allot: false };
		const customer = await customerId(CUSTOMER);
		const changed = await again(pattern.id);
		for (const act of await doneBy(technician, async (actor) => [
			await rehearseStamping(stamping, actor),
			await savePattern(customer, changed, actor),
			await letFollow(pattern.id, [], actor),
			await removePattern(pattern.id, actor)
		]))
			expect(act.ok || act.problem).to.equal('You may not plan sites for this customer.');
	});

	it('reads any list through the front door, and hostile ones too', async () => {
		const pattern = await newPattern();
		const compare = async (text: string) =>
			answerOf(await post(`/sites/stamp?/compare`, { pattern: pattern.id, text }));
		const name = fresh('door');
		const read = await compare(`site;town;colour\n"${name}";Nelson;red\n`);
		const compared = read.data!.compared as {
			rows: { name: string; verdict: string }[];
			unknown: { heading: string }[];
		};
		expect(compared.rows).to.have.length(1);
		expect(compared.rows[0]).to.deep.include({ name, verdict: 'new' });
		expect(compared.unknown[0]!.heading).to.equal('colour');
		for (const text of [
			'',
			'{',
			'{"type":"FeatureCollection"}',
			'a,b\n1,2',
			'site\n',
			`site\n${'x'.repeat(300)}`,
			'site,site\na,b'
		])
			expect((await compare(text)).status, text.slice(0, 20)).to.be.within(200, 409);
		const sealed = await answerOf(
			await post('/sites/stamp?/stamp', { pattern: pattern.id, cells: '[["site"],["a"]]', seal: 'made up' })
		);
		expect(sealed.data!.problem).to.match(/Something has changed/);
	});
});

describe('following a pattern that changed', () => {
	it('is chosen site by site, and leaves what a site decided for itself', async () => {
		const pattern = await newPattern();
		const [plain, own, left] = [fresh('plain'), fresh('own'), fresh('left')];
		await stamped(pattern.id, [['site'], [plain], [own], [left]]);
		const byName = async () => new Map((await sitesOf(pattern.id)).map((site) => [site.facts.name, site]));
		const other = await profileId('Clinic gateway');
		const before = await byName();
		// At one of the three somebody bound a unit where the pattern will have nothing any more
		const shop = before.get(own)!.places.find(({ name }) => name === 'ap-shop')!;
		const unit = await newUnit('access-point', CUSTOMER);
		expect((await bindUnit(shop.id, unit.unitId, ACTOR)).ok).to.equal(true);

		const input = await again(pattern.id);
		const saved = await savePattern(
			await customerId(CUSTOMER),
			{
				...input,
				places: [
					...input.places.filter(({ name }) => name !== 'ap-shop'),
					{ id: null, name: 'gw-2', profileId: other, values: {} }
				]
			},
			ACTOR
		);
		expect(saved.ok).to.equal(true);
		expect((await byName()).get(plain)!.places, 'saving changes no site').to.have.length(2);

		const followers = await followersOf((await patternById(database(), pattern.id))!);
		const kinds = new Map(
			followers.map((one) => [one.siteName, one.following.changes.map(({ kind }) => kind)])
		);
		expect(kinds.get(plain)).to.have.members(['add', 'remove']);
		expect(kinds.get(own)).to.deep.equal(['add']);
		expect(followers.find(({ siteName }) => siteName === own)!.following.kept[0]!.why).to.equal(
			'has history'
		);

		const chosen = [before.get(plain)!.id, before.get(own)!.id];
		const act = await letFollow(pattern.id, chosen, ACTOR);
		expect(act.ok && act.done).to.deep.equal({ sites: 2, changes: 3 });
		const after = await byName();
		const placesAt = (name: string) => after.get(name)!.places.map((place) => place.name);
		expect(placesAt(plain)).to.deep.equal(['gw-2', 'rt-1']);
		expect(placesAt(own)).to.deep.equal(['ap-shop', 'gw-2', 'rt-1']);
		expect(placesAt(left)).to.deep.equal(['ap-shop', 'rt-1']);
		const twice = await letFollow(pattern.id, chosen, ACTOR);
		expect(twice.ok).to.equal(false);
	});

	it('tells the second of two who change a pattern at once', async () => {
		const pattern = await newPattern();
		const input = await again(pattern.id);
		const customer = await customerId(CUSTOMER);
		expect((await savePattern(customer, { ...input, note: 'first' }, ACTOR)).ok).to.equal(true);
		const second = await savePattern(customer, { ...input, note: 'second' }, ACTOR);
		expect(second.ok || second.problem).to.match(/Somebody else has changed this pattern/);
	});

	it('ends when the pattern is removed; its sites stay', async () => {
		const pattern = await newPattern();
		const name = fresh('stays');
		await stamped(pattern.id, [['site'], [name]]);
		const act = await removePattern(pattern.id, ACTOR);
		expect(act.ok && act.done.sites).to.equal(1);
		const [site] = await standingSites(database(), (query) => query.where('site.name', name));
		expect(site!.patternId).to.equal(null);
		expect(site!.places).to.have.length(2);
	});
});

const siteForm = async (name: string): Promise<Record<string, string>> => ({
	customer: await customerId(CUSTOMER),
	name,
	street: '',
	locality: '',
	country: '',
	latitude: '',
	longitude: '',
	timeZone: 'Pacific/Auckland',
	contact: '',
	phone: '',
	accessHours: '',
	directions: '',
	uplink: 'fibre',
	provider: '',
	circuit: '',
	sim: '',
	apn: '',
	appointment: '',
	minutes: '60',
	technician: ''
});

describe('a site', () => {
	const make = async (more: Record<string, string> = {}) => {
		const name = fresh('site');
		const answer = await answerOf(await post('/sites/new', { ...(await siteForm(name)), ...more }));
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
		const read = await rehearseStamping(
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
