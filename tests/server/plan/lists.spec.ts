import { expect } from 'chai';
import { readListQuery, SITE_LIST, UNIT_LIST } from '../../../src/core/list';
import { siteStanding } from '../../../src/core/plan';
import { unitCounts, unitIds, unitRows } from '../../../src/lib/server/intake';
import { record } from '../../../src/lib/server/runs';
import { positionsOf, siteCounts, siteIds, siteRows } from '../../../src/lib/server/plan';
import {
	answerOf,
	boundUnit,
	customerId,
	customerLike,
	get,
	invoke,
	newPerson,
	newUnit,
	openPosition,
	post,
	report,
	TEST_SITE,
	unwalled
} from '../making';
import { onChange } from '../dialling';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { learnNew } from '../../../src/lib/server/watch/learn';

const CUSTOMER = 'Pippin & Loaf';
const sites = (text = '') => readListQuery(new URLSearchParams(text), SITE_LIST);
const units = (text = '') => readListQuery(new URLSearchParams(text), UNIT_LIST);

/** One of each way in which a position can stand. */
async function oneOfEach(customer: string) {
	const made = { waiting: await boundUnit('router', customer), stuck: await boundUnit('router', customer) };
	await invoke('get-bootstrapping-data', made.stuck);
	await report(made.stuck, 'config-error', { message: 'no' });
	const moving = await boundUnit('router', customer);
	await invoke('get-bootstrapping-data', moving);
	const stalled = await boundUnit('router', customer);
	await record({
		runId: stalled.runId,
		event: { kind: 'call', at: Date.now() - 365 * 86_400_000 },
		words: ''
	});
	await runAs(BOOTSTRAP, learnNew);
	const online = await alsoOnline(customer);
	const refused = await boundUnit('router', customer);
	await invoke('get-bootstrapping-data', { serial: refused.serial, claimCode: 'WRONGCODE' });
	return { ...made, moving, stalled, online, refused };
}

/** Another unit that came through. */
async function alsoOnline(customer: string) {
	const online = await boundUnit('router', customer);
	await record({ runId: online.runId, event: { kind: 'call-home', at: Date.now() }, words: '' });
	await record({ runId: online.runId, event: { kind: 'proof', at: Date.now(), failed: null }, words: '' });
	return online;
}
/** As if the proof of a position's site had come out so. */
const provenAs = (positionId: string, state: 'held' | 'failed') =>
	unwalled().raw(
		`update site set proof_state = ?, proof_at = now(), proof_since = now() from position where position.site_id = site.id and position.id = ?`,
		[state, positionId]
	);

describe('lists of many thousands', () => {
	// One of its own: what other tests began would change how things stand while they are read
	let customer: string;
	before(async () => {
		customer = await customerLike(CUSTOMER);
	});

	it('say how each site stands as core says it', async () => {
		const made = await oneOfEach(customer);
		await openPosition('router', customer);
		const id = await customerId(customer);
		await provenAs(made.online.positionId, 'held');
		await provenAs((await alsoOnline(customer)).positionId, 'failed');
		await alsoOnline(customer);
		const { rows, total } = await siteRows(id, sites(), 0, 10_000);
		expect(rows).to.have.lengthOf(total);
		const proofs = new Map(
			(await unwalled()('site').select('id', 'proof_state')).map((row) => [row.id, row.proof_state])
		);
		for (const site of rows) {
			const positions = await positionsOf(site.id);
			expect({ word: site.word, online: site.online, positions: site.positions }, site.name).to.deep.equal(
				siteStanding(
					positions.map(({ standing }) => standing),
					proofs.get(site.id)
				)
			);
		}
		const words = new Set(rows.map(({ word }) => word));
		for (const word of ['stuck', 'proof-failed', 'under way', 'unproven', 'waiting', 'open', 'online'])
			expect(words).to.include(word);
		const standingOf = async (serial: string) =>
			(await unitRows(id, units(`q=${serial}`), 0)).rows[0]!.standing;
		for (const [standing, { serial }] of Object.entries(made))
			expect(await standingOf(serial), standing).to.equal(standing === 'refused' ? 'stuck' : standing);
		expect(await standingOf((await newUnit('router', customer)).serial)).to.equal('free');
	});

	it('come in windows that together are the whole, sorted by any column either way', async () => {
		const id = await customerId(customer);
		for (let made = 0; made < 15; made++) await openPosition('router', customer);
		await boundUnit('router', customer);
		for (const { id: column } of SITE_LIST.columns.filter((one) => 'sorts' in one))
			for (const turned of ['', '-']) {
				const query = sites(`sort=${turned}${column}`);
				const whole = await siteRows(id, query, 0, 10_000);
				const parts = [];
				for (let offset = 0; offset < whole.total; offset += 7)
					parts.push(...(await siteRows(id, query, offset, 7)).rows);
				expect(
					parts.map((site) => site.id),
					`${turned}${column}`
				).to.deep.equal(whole.rows.map((site) => site.id));
				expect(new Set(parts.map((site) => site.id)).size).to.equal(whole.total);
			}
		for (const { id: column } of UNIT_LIST.columns.filter((one) => 'sorts' in one))
			expect((await unitRows(id, units(`sort=-${column}`), 3, 5)).rows.length).to.be.at.most(5);
		const names = (await siteRows(id, sites('sort=-name'), 0, 10_000)).rows.map(({ name }) =>
			name.toLowerCase()
		);
		// As the database orders words, which is not as a programming language does
		expect(names).to.deep.equal(
			(await siteRows(id, sites('sort=name'), 0, 10_000)).rows.map(({ name }) => name.toLowerCase()).reverse()
		);
	});

	it('are filtered by what stands in them, and count the rest beside it', async () => {
		const id = await customerId(customer);
		const [unit] = [await boundUnit('router', customer), await newUnit('router', customer)];
		await openPosition('router', customer);
		const { rows: byMac } = await unitRows(id, units(`q=${unit.mac.slice(-8)}`), 0);
		expect(byMac.map(({ serial }) => serial)).to.include(unit.serial);
		const { rows: byPart } = await unitRows(id, units(`q=${unit.serial.slice(2, 9)}`), 0);
		expect(byPart.map(({ serial }) => serial)).to.include(unit.serial);
		for (const odd of ['%', '_', "'", '\\', '"', '(', 'ō'])
			expect((await unitRows(id, units(`q=${encodeURIComponent(odd)}`), 0)).rows).to.be.an('array');
		const counts = await unitCounts(id, units('standing=waiting'));
		expect(counts.waiting).to.equal((await unitRows(id, units('standing=waiting'), 0, 1)).total);
		expect(Object.keys(counts)).to.include('free');
		expect((await unitIds(id, units('standing=waiting'), 10_000)).length).to.equal(counts.waiting);
		const open = await siteRows(id, sites(`standing=open&q=${encodeURIComponent(TEST_SITE)}`), 0, 10_000);
		expect(open.rows.every(({ word, name }) => word === 'open' && name.startsWith(TEST_SITE))).to.equal(true);
		expect((await siteCounts(id, sites())).open).to.be.greaterThan(0);
		expect(await siteIds(id, sites('q=nowhere at all'), 10)).to.deep.equal([]);
	});

	it('go away as files with what is filtered, nothing in them a formula', async () => {
		const position = await openPosition('router', customer);
		const { site_id: site } = await unwalled()('position').where({ id: position }).first('site_id');
		await unwalled()('site')
			.where({ id: site })
			.update({ contact: '=1+1', name: `${TEST_SITE} file ${site}` });
		const text = await (await get(`/sites/file?q=${encodeURIComponent(`file ${site}`)}`)).text();
		expect(text.trim().split('\r\n')).to.have.lengthOf(2);
		expect(text).to.include(`'=1+1`);
		const xlsx = await get(`/units/file?as=xlsx&q=nothing-at-all`);
		expect(xlsx.headers.get('content-type')).to.match(/spreadsheet/);
	});
});

describe('views of lists', () => {
	it('are kept under a name, replaced, dropped, and are nobody else’s', async () => {
		const [one, other] = [
			await newPerson({ [CUSTOMER]: 'coordinator' }),
			await newPerson({ [CUSTOMER]: 'coordinator' })
		];
		const save = (name: string, query: string) =>
			post('/sites?/saveView', { name, query }, {}, one).then(answerOf);
		expect((await save('Stuck ones', 'standing=stuck')).type).to.equal('success');
		expect((await save('stuck ones', 'standing=stuck&q=a')).type).to.equal('success');
		expect((await save('  ', '')).data).to.deep.include({ problem: 'Give the view a name.' });
		const kept = await unwalled()('saved_view').where({ person_id: one.id });
		expect(kept.map(({ name, query }) => [name, query])).to.deep.equal([
			['stuck ones', 'standing=stuck&q=a']
		]);
		expect(await (await get('/sites', other)).text()).to.not.include('stuck ones');
		const dropped = await post('/sites?/dropView', { view: kept[0].id }, {}, other).then(answerOf);
		expect(dropped.data).to.deep.include({ problem: 'This view is gone already.' });
		expect((await post('/sites?/dropView', { view: kept[0].id }, {}, one).then(answerOf)).type).to.equal(
			'success'
		);
	});
});

describe('acts on many rows', () => {
	it('send a technician to all sites that fit, all or none', async () => {
		const [coordinator, technician] = [
			await newPerson({ [CUSTOMER]: 'coordinator' }),
			await newPerson({ [CUSTOMER]: 'technician' })
		];
		const mark = `${TEST_SITE} batch ${technician.id}`;
		for (let index = 0; index < 3; index++) {
			const { site_id: id } = await unwalled()('position')
				.where({ id: await openPosition('router', CUSTOMER) })
				.first('site_id');
			await unwalled()('site')
				.where({ id })
				.update({ name: `${mark} ${index}` });
		}
		const send = (fields: Record<string, string>) =>
			post('/sites?/technician', { technician: technician.id, ...fields }, {}, coordinator).then(answerOf);
		const all = `q=${encodeURIComponent(mark)}`;
		expect((await send({ all })).data).to.deep.include({ said: '3 sites changed.' });
		expect((await send({ all })).data).to.deep.include({ said: '0 sites changed.' });
		const stranger = await newPerson({ 'Southfold Physio': 'technician' });
		expect((await send({ all, technician: stranger.id })).data).to.deep.include({
			problem: 'They do not work for one of these customers. Nothing was changed.'
		});
		expect(
			await unwalled()('site').whereLike('name', `${mark}%`).where({ technician_id: technician.id })
		).to.have.lengthOf(3);
		expect((await send({})).data).to.deep.include({ problem: 'Choose sites, and somebody or a day.' });
		const refused = await post('/sites?/technician', { all, technician: technician.id }, {}, technician).then(
			answerOf
		);
		expect(refused.type).to.equal('failure');
	});

	it('let those try again that failed, and leave the others', async () => {
		const [failed, fine] = [await boundUnit('router', CUSTOMER), await boundUnit('router', CUSTOMER)];
		await record({
			runId: failed.runId,
			event: { kind: 'withheld', at: Date.now(), words: 'no' },
			words: 'no'
		});
		const body = new URLSearchParams([
			['unit', failed.unitId],
			['unit', fine.unitId]
		]);
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		const answer = await post('/units?/retry', body as never, {}, technician).then(answerOf);
		expect(answer.data).to.deep.include({
			said: '1 unit may try again; the bar above says how far that is. 1 had not failed and is left as it is.'
		});
		const begun = () => unwalled()('long_work').where({ person_id: technician.id }).first();
		await onChange(['work'], async () => (await begun())?.state === 'done');
		expect((await unwalled()('run').where({ unit_id: failed.unitId })).length).to.equal(2);
	});
});
