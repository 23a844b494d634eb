import { expect } from 'chai';
import { database } from '../../../src/lib/server/database';
import { bindUnit } from '../../../src/lib/server/binding';
import { tryStamping, sendTechnician } from '../../../src/lib/server/plan';
import { previewOf, renderingSources } from '../../../src/lib/server/profile';
import {
	ACTOR,
	answerOf,
	customerId,
	doneBy,
	get,
	newPerson,
	newUnit,
	openPosition,
	post,
	unwalled
} from '../making';
import { CUSTOMER, fresh, newPattern, profileId, siteForm } from './pattern-making';

/** A gateway’s open position at a site of its own with such an uplink. */
async function gatewayAt(uplink: Record<string, string>) {
	const positionId = await openPosition('gateway');
	const { site_id: siteId } = await unwalled()('position').where({ id: positionId }).first('site_id');
	await unwalled()('site').where({ id: siteId }).update(uplink);
	return { positionId, siteId: siteId as string };
}
const previewAt = async (positionId: string) =>
	previewOf((await renderingSources(database(), [positionId])).get(positionId)!);

describe('the kind of a site’s uplink', () => {
	it('decides which part of the profile counts, and its SIM and access point reach the configuration', async () => {
		const cellular = await gatewayAt({
			uplink: 'cellular',
			sim: '8964555000120073310',
			apn: 'branch.example'
		});
		const text = (await previewAt(cellular.positionId)).text;
		expect(text).to.contain('apn branch.example').and.contain('SIM 8964555000120073310');
		expect(text).to.not.contain('lease').and.not.contain('session');
		const fibre = await gatewayAt({ uplink: 'fibre', sim: '', apn: '' });
		expect((await previewAt(fibre.positionId)).text)
			.to.contain('lease')
			.and.not.contain('apn');
		const dsl = await gatewayAt({ uplink: 'dsl', sim: '', apn: '' });
		const shown = (await previewAt(dsl.positionId)).text;
		expect(shown).to.contain('session {').and.not.contain('line-marlstone');
	});

	it('without its access point known says so, with where it is missing', async () => {
		const { positionId } = await gatewayAt({ uplink: 'cellular', sim: '', apn: '' });
		const preview = await previewAt(positionId);
		expect(preview.ok).to.equal(false);
		expect(preview.problems.map(({ message }) => message).join()).to.contain('site.apn');
	});

	it('that the profile has no part for is told at the site, and at binding', async () => {
		const { positionId, siteId } = await gatewayAt({ uplink: 'cellular', sim: '', apn: 'a.example' });
		const only = await unwalled()('profile')
			.where({ name: 'Clinic gateway' })
			.first('released_revision_id as id', 'role_id');
		const cellularPart = await unwalled()('part').where({ purpose: 'uplink-cellular' }).first('id');
		// A profile of the same parts but for this kind of uplink
		const [profile] = await unwalled()('profile')
			.insert({ id: unwalled().raw('gen_random_uuid()'), name: fresh('no-sim'), role_id: only.role_id })
			.returning('id');
		const row = await unwalled()('profile_revision').where({ id: only.id }).first('*');
		const [draft] = await unwalled()('profile_revision')
			.insert({
				...row,
				id: unwalled().raw('gen_random_uuid()'),
				profile_id: profile.id,
				number: 1,
				state: 'draft',
				released_at: null,
				released_by: null,
				...Object.fromEntries(
					['texts', 'fields', 'targets', 'scripts', 'files', 'checks', 'values'].map((name) => [
						name,
						JSON.stringify(row[name])
					])
				)
			})
			.returning('id');
		await unwalled().raw(
			`insert into profile_part (revision_id, ordinal, part_id, part_revision_id)
			select ?, ordinal, part_id, part_revision_id from profile_part where revision_id = ? and part_id <> ?`,
			[draft.id, only.id, cellularPart.id]
		);
		await unwalled()('profile_revision')
			.where({ id: draft.id })
			.update({ state: 'released', released_at: new Date() });
		await unwalled()('profile').where({ id: profile.id }).update({ released_revision_id: draft.id });
		await unwalled()('position').where({ id: positionId }).update({ profile_id: profile.id });
		const words = 'The site’s uplink is cellular, and the profile has parts for fibre and DSL only.';
		expect((await previewAt(positionId)).problems.map(({ message }) => message)).to.deep.equal([words]);
		const unit = await newUnit('gateway');
		const act = await bindUnit(positionId, unit.unitId, ACTOR);
		expect(act.ok ? 'bound' : act.problem).to.contain(words);
		const coordinator = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await (await get(`/sites/${siteId}?position=${positionId}`, coordinator)).text()).to.contain(
			words
		);
	});
});

describe('what a site will come to', () => {
	it('is shown before it is stamped: its values, and what is still missing', async () => {
		const pattern = await newPattern();
		const name = fresh('outlook');
		const cells = [
			['site', 'uplink', 'rt-1 hostname'],
			[name, 'cellular', 'out-rt']
		];
		const act = await tryStamping({ patternId: pattern.id, cells, also: false, allot: true }, ACTOR);
		const outlook = act.ok ? act.done.rows[0]!.outlook! : null;
		expect(outlook?.positions.map((position) => position.name)).to.deep.equal(['ap-shop', 'rt-1']);
		const router = outlook!.positions.find((position) => position.name === 'rt-1')!;
		expect(router.values).to.deep.include({ name: 'hostname', value: 'out-rt' });
		const missing = outlook!.missing.map(({ words }) => words);
		expect(missing).to.include('There is no appointment.');
		expect(missing.join()).to.contain('“networks” has no value');
		expect(missing).to.include('The uplink is cellular, and its SIM card is not known.');
		expect(missing.join()).to.not.contain('No unit is bound');
		expect(await unwalled()('site').where({ name }), 'nothing is kept').to.have.lengthOf(0);
	});

	it('and one site is planned whole: its positions with the form’s values', async () => {
		const engineer = await newPerson({ [CUSTOMER]: 'engineer' });
		const pattern = await newPattern();
		const name = fresh('guided');
		const form = {
			...(await siteForm(name)),
			customer: await customerId(CUSTOMER),
			pattern: pattern.id,
			minutes: '95',
			'value:rt-1 hostname': 'guided-rt',
			'value:nonsense': 'x'
		};
		const looked = (await post('/sites/new?/look', form, {}, engineer).then(answerOf)) as {
			data: { looked: { outlook: { positions: unknown[] } } };
		};
		expect(looked.data.looked.outlook.positions).to.have.lengthOf(2);
		expect(await unwalled()('site').where({ name })).to.have.lengthOf(0);
		const planned = await post('/sites/new?/plan', form, {}, engineer).then(answerOf);
		expect(planned.location, JSON.stringify(planned)).to.match(/^\/sites\/[0-9a-f-]{36}$/);
		const positions = await unwalled()('position')
			.join('site', 'site.id', 'site_id')
			.where('site.name', name)
			.orderBy('position.name')
			.select('position.name', 'position.values', 'appointment_minutes');
		expect(positions.map((position) => position.name)).to.deep.equal(['ap-shop', 'rt-1']);
		expect(positions[1]!.values.hostname).to.equal('guided-rt');
		expect(positions[1]!.appointment_minutes).to.equal(95);
		const twice = await post('/sites/new?/plan', form, {}, engineer).then(answerOf);
		expect(twice.data).to.deep.include({ problem: `The customer has a site “${name}” already.` });
	});
});

describe('many sites at once', () => {
	it('get a day in each site’s own time, and keep who goes there', async () => {
		const customer = await customerId(CUSTOMER);
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		const made = await unwalled()('site')
			.insert(
				['Pacific/Auckland', 'Pacific/Chatham'].map((zone) => ({
					id: unwalled().raw('gen_random_uuid()'),
					customer_id: customer,
					name: fresh('visit'),
					time_zone: zone,
					uplink: 'fibre',
					technician_id: technician.id
				}))
			)
			.returning('id');
		const ids = made.map(({ id }) => id as string);
		const engineer = await newPerson({ [CUSTOMER]: 'engineer' });
		const send = (appointment: string) =>
			doneBy(engineer, (actor) => sendTechnician(ids, { appointment }, actor));
		expect(await send('2027-01-12 09:30')).to.deep.include({ ok: true, done: { changed: 2 } });
		const sites = await unwalled()('site')
			.whereIn('id', ids)
			.orderBy('time_zone')
			.select('appointment_at', 'technician_id');
		expect(sites.map(({ appointment_at: at }) => at.toISOString())).to.deep.equal([
			'2027-01-11T20:30:00.000Z',
			'2027-01-11T19:45:00.000Z'
		]);
		expect(sites.map(({ technician_id: id }) => id)).to.deep.equal([technician.id, technician.id]);
		const skipped = await send('2026-09-27 02:30');
		expect(skipped.ok ? '' : skipped.problem).to.contain('Nothing was changed.');
		const refused = await doneBy(technician, (actor) => sendTechnician(ids, { appointment: '' }, actor));
		expect(refused.ok).to.equal(false);
	});
});

describe('a draft is looked at before it is saved', () => {
	it('as a position would get it; nothing of it is kept', async () => {
		const engineer = await newPerson('administrator');
		const profile = await profileId('Clinic gateway');
		const { positionId } = await gatewayAt({ uplink: 'fibre', sim: '', apn: '' });
		const parts = await unwalled()('profile_part')
			.join('profile', 'profile.released_revision_id', 'revision_id')
			.where('profile.id', profile)
			.orderBy('ordinal')
			.pluck('part_revision_id');
		const draft = {
			parts,
			texts: { braced: 'banner "being tried";\n' },
			targets: {},
			scripts: {},
			files: [],
			checks: [],
			values: { time_server: 'tried.example', name_server: '192.0.2.53', guest_vlan: 30 }
		};
		const looked = (await post(
			`/profiles/${profile}?/preview`,
			{ position: positionId, draft: JSON.stringify(draft) },
			{},
			engineer
		).then(answerOf)) as {
			data: { preview: { lines: { text: string }[]; problems: { message: string }[] } };
		};
		const text = JSON.stringify(looked.data.preview);
		expect(text).to.contain('tried.example');
		expect(
			await unwalled()('profile_revision').where({ profile_id: profile, state: 'draft' })
		).to.have.lengthOf(0);
	});
});
