import { expect } from 'chai';
import { database } from '../../../src/lib/server/database';
import { bindUnit } from '../../../src/lib/server/binding';
import {
	createPool,
	followersOf,
	letFollow,
	patternById,
	tryStamping,
	removePattern,
	savePattern,
	stampSites,
	standingSites
} from '../../../src/lib/server/plan';
import { ACTOR, answerOf, customerId, doneBy, newPerson, newUnit, post, unwalled } from '../making';
import {
	CUSTOMER,
	fresh,
	profileId,
	entriesAbout,
	newPattern,
	sitesOf,
	again,
	stamped,
	siteForm
} from './pattern-making';

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
		const tried = await tryStamping(stamping, ACTOR);
		expect(tried.ok && tried.done.rows.map(({ verdict }) => verdict)).to.deep.equal(names.map(() => 'new'));
		expect(await sitesOf(pattern.id), 'a rehearsal keeps nothing').to.deep.equal([]);

		const act = await stampSites(stamping, tried.ok ? tried.done.seal : '', ACTOR);
		expect(act.ok && act.done).to.deep.include({ created: 40, changed: 0 });
		const sites = await sitesOf(pattern.id);
		expect(sites.map(({ facts }) => facts.name)).to.have.members(names);
		for (const { places, facts, appointmentAt } of sites) {
			expect(places.map(({ name }) => name)).to.deep.equal(['ap-shop', 'rt-1']);
			expect(facts.timeZone, 'as most sites of the customer').to.equal('Pacific/Auckland');
			expect(new Date(appointmentAt!).toISOString()).to.equal('2027-01-04T20:30:00.000Z');
		}
		expect(await entriesAbout(pattern.id)).to.deep.equal(['make pattern', 'stamp sites']);

		const second = await tryStamping({ ...stamping, also: true }, ACTOR);
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
		const tried = await tryStamping(stamping, ACTOR);
		if (!tried.ok) throw new Error(tried.problem);
		expect(tried.done.rows.map(({ verdict }) => verdict)).to.deep.equal(['new', 'wrong', 'wrong']);
		// Meanwhile somebody plans the same site
		await post('/sites/new?/plan', { pattern: 'none', ...(await siteForm(good)) });
		const late = await stampSites(stamping, tried.done.seal, ACTOR);
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
				range: { block: '10.230.0.0/22', length: 24 },
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
		const tooMany = await tryStamping(stamping(5), ACTOR);
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
			await tryStamping(stamping, actor),
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
