import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { group } from 'd3';
import Papa from 'papaparse';
import * as v from 'valibot';
import { fresh } from './pattern-making';
import { loadPlan } from '../../../command/demo';
import { database, runAs, SETUP } from '../../../src/lib/server/database';
import { callersAtDoor, noteCaller } from '../../../src/lib/server/door';
import { findUnits, unboundUnits, unitsFor } from '../../../src/lib/server/intake';
import { needsPerson, STANDINGS, standingOf } from '../../../src/core/onboarding';
import {
	arrivals,
	arrivalsAfter,
	arrivalsOf,
	cameThrough,
	eventsOfUnit,
	standingCounts
} from '../../../src/lib/server/runs';
import { unbindUnit } from '../../../src/lib/server/binding';
import { record } from '../../../src/lib/server/runs';
import { findSites, openPositionsFor, planSchema, positionsOf, siteById } from '../../../src/lib/server/plan';
import { renderingSources, renderPosition } from '../../../src/lib/server/profile';
import {
	ACTOR,
	actAsEngineer,
	boundUnit,
	customerId,
	customerLike,
	invoke,
	newUnit,
	openPosition,
	report,
	unwalled
} from '../making';

const siteOf = async (positionId: string): Promise<string> =>
	(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;

describe('the plan', () => {
	it('is brought in once however often', async () => {
		const count = async () =>
			Promise.all(
				['site', 'position', 'profile_revision', 'model', 'ledger_entry'].map(
					async (table) => (await unwalled()(table).count())[0]!.count
				)
			);
		const before = await count();
		expect(await runAs(SETUP, loadPlan)).to.equal(0);
		expect(await count()).to.deep.equal(before);
	});

	it('has the demo’s three customers with their sites', async () => {
		const { data } = Papa.parse<{ customer: string; site: string }>(readFileSync('demo/sites.csv', 'utf8'), {
			header: true,
			skipEmptyLines: true
		});
		const planned = [...group(data, ({ customer }) => customer)];
		expect(planned.map(([, sites]) => sites.length).sort()).to.deep.equal([10, 25, 33]);
		for (const [customer, sites] of planned)
			expect(
				await unwalled()('site')
					.where({ customer_id: await customerId(customer) })
					.pluck('name')
			).to.include.members(sites.map(({ site }) => site));
	});

	it('refuses a zone nobody knows, coordinates off the earth, a broken profile text, odd field names', () => {
		const none = { parts: [], profiles: [], customers: [], sites: [], positions: [] };
		const site = {
			customer: 'a',
			name: 'b',
			street: '',
			locality: '',
			latitude: -41,
			longitude: 173,
			timeZone: 'Pacific/Auckland',
			contact: '',
			uplink: 'dsl'
		};
		const profile = { name: 'p', role: 'router', parts: [], texts: { json: '{}' }, values: {} };
		expect(v.is(planSchema, { ...none, sites: [site], profiles: [profile] })).to.equal(true);
		for (const change of [
			{ timeZone: 'Moon/Base' },
			{ latitude: 91 },
			{ longitude: NaN },
			{ uplink: 'pigeon' },
			{ appointment: 'soon' },
			{ name: '  ' }
		])
			expect(v.is(planSchema, { ...none, sites: [{ ...site, ...change }] }), JSON.stringify(change)).to.equal(
				false
			);
		for (const change of [
			{ texts: { json: '{% if' } },
			{ name: 'Tіme' },
			{ values: { 'Bad Name': 1 } },
			{ values: { a: [[]] } }
		])
			expect(
				v.is(planSchema, { ...none, profiles: [{ ...profile, ...change }] }),
				JSON.stringify(change)
			).to.equal(false);
	});

	it('gives appointments in the site’s own time', async () => {
		const { rows } = await unwalled().raw(
			`select to_char(appointment_at at time zone time_zone, 'HH24:MI') as at from site where name = 'Hokitika clinic'`
		);
		expect(rows[0].at).to.equal('09:30');
	});

	it('finds sites by any part of their name or place, and takes wildcards as they are', async () => {
		expect((await findSites('ōamaru', null, 10)).map(({ name }) => name)).to.include('Ōamaru clinic');
		expect(await findSites('%', null, 10)).to.be.empty;
		expect(await findSites('_', null, 10)).to.be.empty;
		expect(await findSites("'; drop table site", null, 10)).to.be.empty;
		expect(await findSites('Nelson clinic', await customerId('Southfold Physio'), 10)).to.be.empty;
	});

	it('shows how a site stands as its units go on', async () => {
		const unit = await boundUnit('router', 'Pippin & Loaf');
		const siteId = await siteOf(unit.positionId);
		const standing = async () =>
			(await positionsOf(siteId)).find(({ id }) => id === unit.positionId)!.standing;
		expect(await standing()).to.equal('waiting');
		await invoke('get-bootstrapping-data', unit);
		expect(
			await standing(),
			(await unwalled()('run').where({ id: unit.runId }).first()).failure_words
		).to.equal('moving');
		await report(unit, 'config-error', { message: 'no' });
		expect(await standing()).to.equal('stuck');
		await unbindUnit(unit.positionId, ACTOR);
		expect(await standing()).to.equal('open');
		expect(await siteById('00000000-0000-7000-8000-000000000000')).to.equal(undefined);
	});

	it('offers to a position only what suits it, and to a unit only where it suits', async () => {
		const [gateway, point, foreign] = [
			await newUnit('gateway'),
			await newUnit('access-point'),
			await newUnit('gateway', 'Southfold Physio')
		];
		const position = await openPosition('gateway');
		const offered = (await unitsFor(position)).map(({ id }) => id);
		expect(offered).to.include(gateway.unitId).and.not.include(point.unitId).and.not.include(foreign.unitId);
		const places = await openPositionsFor(gateway.unitId);
		expect(places.map(({ id }) => id)).to.include(position);
		expect(places.every(({ name }) => name === 'gw-1')).to.equal(true);
		expect((await unboundUnits(null, 1000)).map(({ id }) => id)).to.include.members([
			gateway.unitId,
			point.unitId,
			foreign.unitId
		]);
		expect((await unboundUnits(await customerId(), 1000)).map(({ id }) => id)).to.not.include(foreign.unitId);
	});

	it('finds units by any part of serial or MAC, in any grouping, within the customer', async () => {
		const unit = await newUnit();
		for (const text of [
			unit.serial,
			unit.serial.toLowerCase(),
			unit.serial.slice(-6),
			unit.serial.replace(/(....)/g, '$1 '),
			unit.mac,
			unit.mac.replaceAll(':', '-').toUpperCase(),
			unit.mac.slice(-8)
		])
			expect(
				(await findUnits(text, null, 50)).map(({ id }) => id),
				text
			).to.include(unit.unitId);
		expect(await findUnits('x', null, 50)).to.be.empty;
		expect(await findUnits('%%', null, 50)).to.be.empty;
		expect(await findUnits(unit.serial, await customerId('Southfold Physio'), 50)).to.be.empty;
	});
});

describe('renderings', () => {
	it('name what is missing, refuse what is no text of its dialect, and need a released revision', async () => {
		const position = await openPosition('access-point');
		const source = (await renderingSources(database(), [position])).get(position)!;
		expect(renderPosition(source).ok).to.equal(true);
		const own = (json: string) =>
			renderPosition({ ...source, revision: { ...source.revision!, texts: { json } } });
		const broken = own('{ "a": }');
		expect(broken.ok ? null : broken.problems[0]).to.include({ kind: 'dialect', line: 1 });
		const unknown = own('{\n"dance": 1 }');
		expect(unknown.ok ? null : unknown.problems[0]).to.include({
			kind: 'rejected',
			line: 2,
			piece: 'The profile’s own text'
		});
		const untold = renderPosition({ ...source, model: { ...source.model!, dialect: 'indented' } });
		expect(untold.ok ? '' : untold.problems[0]!.message).to.match(/“Staff Wi-Fi” has no text for a LF-6/);
		const missing = renderPosition({ ...source, scoped: {} });
		expect(missing.ok ? [] : missing.problems.map(({ field }) => field)).to.include.members([
			'hostname',
			'staff_ssid',
			'guest_vlan'
		]);
		const unreleased = renderPosition({ ...source, revision: null });
		expect(unreleased.ok ? '' : unreleased.problems[0]!.message).to.match(/no released revision/);
	});

	it('put the model’s own port names and Limen’s own key into the text', async () => {
		const position = await openPosition('gateway');
		const rendering = renderPosition((await renderingSources(database(), [position])).get(position)!);
		expect(rendering.ok && rendering.text)
			.to.match(/wire up0 \{/)
			.and.match(/key "ssh-ed25519 [A-Za-z0-9+/=]+"/);
	});
});

describe('arrivals', () => {
	it('come in the order in which they want attention, and in pages that neither overlap nor miss', async () => {
		// At a customer of its own: elsewhere runs go on while pages are read
		const name = fresh('customer');
		const { rows } = await unwalled().raw(
			`insert into customer (id, name, values) select gen_random_uuid(), ?, values from customer where name = 'Marlstone Veterinary' returning id`,
			[name]
		);
		const customerId: string = rows[0].id;
		await actAsEngineer();
		const [stuck, waiting] = [await boundUnit('gateway', name), await boundUnit('gateway', name)];
		for (let count = 0; count < 7; count++) await boundUnit('access-point', name);
		await record({
			runId: stuck.runId,
			event: { kind: 'withheld', at: Date.now(), words: 'why' },
			words: 'why'
		});
		const all = await arrivals({ customerId });
		const at = (runId: string) => all.findIndex((row) => row.runId === runId);
		expect(at(stuck.runId)).to.be.lessThan(at(waiting.runId)).and.greaterThan(-1);
		const paged: string[] = [];
		for (let page = await arrivalsAfter(customerId, null, 4); page.length > 0;) {
			paged.push(...page.map(({ runId }) => runId));
			page = await arrivalsAfter(customerId, paged.at(-1)!, 4);
		}
		expect(paged).to.deep.equal(all.map(({ runId }) => runId).sort());
		expect(all[at(stuck.runId)]).to.include({
			failureWords: 'why',
			failureKind: 'withheld',
			lastWords: 'why'
		});
		const { standings, steps } = await standingCounts(customerId);
		const sum = (counts: object) => Object.values(counts).reduce((a: number, b: number) => a + b, 0);
		expect(sum(standings)).to.equal(all.length).and.to.equal(sum(steps));
		// What the database counts is what core says of each, and what a link leads to
		const now = Date.now();
		const said = all.map((one) => standingOf(one, now, one.wrongCode, one));
		for (const standing of STANDINGS)
			expect(said.filter((one) => one === standing).length, standing).to.equal(standings[standing]);
		expect((await arrivals({ customerId, needsPerson: true })).map(({ runId }) => runId)).to.deep.equal(
			all.filter((_, index) => needsPerson(said[index]!)).map(({ runId }) => runId)
		);
	});

	it('leave the board a day after they came through, and stay what came through last', async () => {
		const customer = await customerLike('Marlstone Veterinary');
		const id = await customerId(customer);
		const [lately, before] = [await boundUnit('gateway', customer), await boundUnit('gateway', customer)];
		for (const [{ runId }, ended] of [
			[lately, new Date()],
			[before, new Date(Date.now() - 25 * 3_600_000)]
		] as const)
			for (const step of ['proof', 'online'])
				await unwalled()('run')
					.where({ id: runId })
					.update({ step, ...(step === 'online' && { outcome: 'through', ended_at: ended }) });
		const board = (await arrivals({ customerId: id })).map(({ runId }) => runId);
		expect(board).to.deep.equal([lately.runId]);
		const through = (await cameThrough(id, 500)).map(({ runId }) => runId);
		expect(through).to.deep.equal([lately.runId, before.runId]);
	});

	it('are a customer’s own', async () => {
		const unit = await boundUnit('gateway', 'Southfold Physio');
		const [own, other] = [
			await arrivals({ customerId: await customerId('Southfold Physio') }),
			await arrivals({ customerId: await customerId() })
		];
		expect(own.map(({ runId }) => runId)).to.include(unit.runId);
		expect(other.map(({ runId }) => runId)).to.not.include(unit.runId);
		expect(new Set(own.map(({ customerName }) => customerName))).to.deep.equal(new Set(['Southfold Physio']));
	});

	it('forget a run that is no longer a position’s present one, but not its events', async () => {
		const unit = await boundUnit();
		await invoke('get-bootstrapping-data', unit);
		await unbindUnit(unit.positionId, ACTOR);
		expect(await arrivalsOf([unit.runId])).to.be.empty;
		expect((await eventsOfUnit(unit.unitId)).map(({ kind }) => kind)).to.deep.equal(['cancel', 'call']);
	});
});

describe('callers at the door', () => {
	const reasonsOf = async (serial: string) =>
		(await callersAtDoor(null, 500)).filter((caller) => caller.serial === serial).map(({ reason }) => reason);

	it('are counted, not piled up', async () => {
		await Promise.all(
			Array.from({ length: 20 }, () =>
				noteCaller({ serial: 'COUNTED', reason: 'unknown', address: '192.0.2.1' })
			)
		);
		const [caller] = (await callersAtDoor(null, 500)).filter(({ serial }) => serial === 'COUNTED');
		expect(caller).to.include({ calls: 20, address: '192.0.2.1', unitId: null });
	});

	it('leave when they are let in: claimed, bound, or through', async () => {
		const unit = await newUnit();
		await noteCaller({ serial: unit.serial, reason: 'unknown', address: '::1' });
		expect(await reasonsOf(unit.serial)).to.be.empty;
		await noteCaller({ serial: unit.serial, reason: 'unbound', address: '::1' });
		expect(await reasonsOf(unit.serial)).to.deep.equal(['unbound']);
		const bound = await boundUnit();
		await noteCaller({ serial: bound.serial, reason: 'unbound', address: '::1' });
		expect(await reasonsOf(bound.serial)).to.be.empty;
		await noteCaller({ serial: bound.serial, reason: 'wrong-code', address: '::1' });
		expect(await reasonsOf(bound.serial)).to.deep.equal(['wrong-code']);
		await invoke('get-bootstrapping-data', bound);
		expect(await reasonsOf(bound.serial)).to.be.empty;
	});
});
