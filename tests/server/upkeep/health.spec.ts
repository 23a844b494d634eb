import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { SLOT_MS } from '../../../src/core/health';
import { tellOfSerials } from '../../../src/lib/server/alerts';
import { BOOTSTRAP, CLEAN_UP, runAs } from '../../../src/lib/server/database';
import {
	askHowTheyDo,
	gatherDays,
	gatherHours,
	keepHealth,
	keepReadings,
	seriesOf,
	uptimes
} from '../../../src/lib/server/health';
import { ALONE } from '../../../standins/network/fabric';
import { onChange } from '../dialling';
import { online, untilLost, type Gateway } from '../gateway';
import { asOwner, get, newPerson, unwalled } from '../making';

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
const asLimen = <Result>(work: () => Promise<Result>) => runAs(BOOTSTRAP, work);
/** All minutes of a stretch, so that everybody's turn comes. */
const askAll = async () => {
	for (let minute = 0; minute < SLOT_MS / 60_000; minute++)
		await asLimen(() => askHowTheyDo(new Date(minute * 60_000)));
};
interface Kept<Figure> {
	readonly at: Date;
	readonly customer_id: string;
	readonly keys: string;
	readonly figures: readonly Figure[];
}
/** A row’s figures by their keys. */
const byKey = <Figure>({ keys, figures, ...row }: Kept<Figure>) => ({
	...row,
	figures: Object.fromEntries(keys.split('\n').map((key, at) => [key, figures[at]]))
});
const readingsOf = async (unitId: string) =>
	(
		await unwalled()('health_reading')
			.where({ unit_id: unitId })
			.orderBy('at')
			.select('at', 'keys', 'figures', 'customer_id')
	).map((row) => byKey<number>(row));
const customerOf = async (unitId: string): Promise<string> =>
	(await unwalled()('unit').where({ id: unitId }).first('customer_id')).customer_id;
/** As if it had been in service for so many days. */
const servedFor = (unitId: string, days: number) =>
	unwalled().raw(
		`update run set begun_at = least(begun_at, now() - make_interval(days => :days)), ended_at = now() - make_interval(days => :days)
		from binding where binding.run_id = run.id and binding.unit_id = :unitId`,
		{ unitId, days }
	);
const hourBefore = (hours: number) => Math.floor(Date.now() / HOUR_MS - hours) * HOUR_MS;
/** Hours are gathered from there on, and days of the place's zone from the day in which that lies. */
const gatheredUntil = (at: number) =>
	unwalled().raw(
		`with days as (delete from health_gathered where grain = 'day')
		insert into health_gathered (grain, until) values ('hour', ?) on conflict (grain, zone) do update set until = excluded.until`,
		[new Date(at)]
	);

describe('how units do', function () {
	const gateways: Gateway[] = [];
	const onlineGateway = async () => {
		const gateway = await online();
		gateways.push(gateway);
		return gateway;
	};
	// Limen makes room for what is to come, not for a past that only tests have
	before(() => asOwner(`select limen_keep_health(now() - interval '3 days', 4, 30, 1000)`));
	afterEach(async () => {
		for (const { call } of gateways.splice(0)) await call!.end();
	});

	it('tells of a box that says another serial number than the one that is bound, until that is in its place', async () => {
		const gateway = await onlineGateway();
		const { unitId, serial } = gateway.unit;
		gateway.saysSerial = 'OG2K0000001';
		await askAll();
		const open = () =>
			unwalled()('alert').where({ unit_id: unitId, kind: 'other serial', ended_at: null }).select('words');
		await onChange(['alerts'], async () => (await open()).length > 0);
		const [alert, ...more] = await open();
		expect(more).to.deep.equal([]);
		expect(alert.words)
			.to.include(`What answers as ${serial} for gw-1 at `)
			.and.to.include('its serial number is OG2K0000001');
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await (await get('/upkeep/events', engineer)).text()).to.include('says another serial number');
		// The same again is one alert; its own, however it is written, ends it
		await asLimen(() => tellOfSerials([{ unitId, serial: 'OG2K0000001' }]));
		expect(await open()).to.have.length(1);
		await asLimen(() => tellOfSerials([{ unitId, serial: serial.toLowerCase() }]));
		expect(await open()).to.deep.equal([]);
	});

	it('is asked of those that are connected, once in each stretch, and kept', async () => {
		const gateway = await onlineGateway();
		gateway.network = {
			...ALONE,
			ports: () => [
				{ port: 'in1', isUp: true, speed: 1000, givesPower: false },
				{ port: 'in2', isUp: false, speed: 0, givesPower: false }
			],
			tunnels: () => [{ name: 'hub', isUp: true, peer: '10.0.0.1' }]
		};
		const { unitId } = gateway.unit;
		await askAll();
		await onChange(['health'], async () => (await readingsOf(unitId)).length > 0);
		const row = (await readingsOf(unitId))[0]!;
		expect(row.figures).to.include.keys('processor', 'memory', 'temperature', 'uptime', 'trip');
		expect(row.figures).to.include({ 'port:in1': 100, 'port:in2': 0, 'tunnel:hub': 100 });
		expect(row.at.getTime() % SLOT_MS).to.equal(0);
		expect(row.customer_id).to.equal(await customerOf(unitId));
		// It leaves no trace in the unit's story
		expect(
			await unwalled()('dialogue').where({ unit_id: unitId }).whereILike('words', '%tell condition%')
		).to.deep.equal([]);
		await gateway.call!.end();
		await untilLost(unitId);
		const asked = () =>
			unwalled()('errand').where({ unit_id: unitId, kind: 'health' }).count('* as count').first();
		const before = await asked();
		await askAll();
		expect(await asked()).to.deep.equal(before);
	});

	it('a second reading of the same stretch adds to the first, and what it tells again is newer', async () => {
		const { unit } = await onlineGateway();
		const customerId = await customerOf(unit.unitId);
		const at = Math.floor(Date.now() / SLOT_MS) * SLOT_MS;
		const read = (figures: Record<string, number>) =>
			asLimen(() => keepReadings([{ unitId: unit.unitId, customerId, at, figures }]));
		await read({});
		await read({ 'sent:wan 1': 90.1, memory: 40, trip: 1e-9 });
		await read({ processor: 7, memory: 41.25 });
		expect((await readingsOf(unit.unitId)).map(({ figures }) => figures)).to.deep.equal([
			{ memory: 41.25, processor: 7, 'sent:wan 1': 90.1, trip: 1e-9 }
		]);
	});

	it('says nothing where a unit does not answer, and the rest all the same', async () => {
		const gateway = await onlineGateway();
		const { unitId } = gateway.unit;
		gateway.refuses = /^tell wires$/;
		await askAll();
		await onChange(['health'], async () => (await readingsOf(unitId)).length > 0);
		const row = (await readingsOf(unitId))[0]!;
		expect(row.figures).to.include.keys('processor', 'uptime');
		expect(Object.keys(row.figures).filter((key) => key.startsWith('port:'))).to.deep.equal([]);
	});

	it('is gathered into hours and days, by what is known; away is away, and a gap no zero', async () => {
		const { unit } = await onlineGateway();
		await servedFor(unit.unitId, 3);
		const customerId = await customerOf(unit.unitId);
		const from = hourBefore(40);
		await asLimen(() =>
			keepReadings(
				[0, 1, 2, 14].map((slot) => ({
					unitId: unit.unitId,
					customerId,
					at: from + slot * SLOT_MS + 7_000,
					figures: { processor: slot * 10, 'received:in1': 1e6 }
				}))
			)
		);
		// Away for a quarter of an hour in the second hour, planned or not
		await unwalled()('absence').insert({
			unit_id: unit.unitId,
			customer_id: customerId,
			from_at: new Date(from + HOUR_MS),
			to_at: new Date(from + 1.25 * HOUR_MS)
		});
		await gatheredUntil(from);
		for (let times = 0; times < 2; times++) await asLimen(() => gatherHours());
		const hours = await unwalled()('health_hour')
			.where({ unit_id: unit.unitId })
			.where('at', '>=', new Date(from))
			.orderBy('at')
			.limit(3);
		expect(hours.map((row) => byKey<number[]>(row).figures)).to.deep.equal([
			{
				processor: [0, 10, 20, 0.25],
				'received:in1': [1e6, 1e6, 1e6, 0.25],
				connected: [100, 100, 100, 1]
			},
			{
				processor: [140, 140, 140, 0.083333336],
				'received:in1': [1e6, 1e6, 1e6, 0.083333336],
				connected: [75, 75, 75, 1]
			},
			{ connected: [100, 100, 100, 1] }
		]);
		for (let times = 0; times < 2; times++) await asLimen(() => gatherDays());
		const days = (await unwalled()('health_day').where({ unit_id: unit.unitId }).orderBy('at')).map((row) =>
			byKey<number[]>(row)
		);
		expect(days.length).to.be.within(1, 2);
		const midnight = (at: Date) =>
			new Intl.DateTimeFormat('en', {
				timeZone: 'Pacific/Auckland',
				hour: '2-digit',
				hourCycle: 'h23'
			}).format(at);
		expect(days.map(({ at }) => midnight(at)).every((hour) => hour === '00')).to.equal(true);
		const all = days.flatMap(({ figures }) => (figures.processor ? [figures.processor] : []));
		// 0, 10 and 20 in one hour and 140 in the next: each reading counts the same
		expect(Math.max(...all.map(([, , max]) => max!))).to.equal(140);
		if (all.length === 1) expect(all[0]![1]).to.be.closeTo(42.5, 0.01);
	});

	it('is read as a chart wants it, by whoever sees the customer and nobody else', async () => {
		const { unit } = await onlineGateway();
		const customerId = await customerOf(unit.unitId);
		const at = Math.floor(Date.now() / SLOT_MS) * SLOT_MS - 2 * SLOT_MS;
		await asLimen(() =>
			keepReadings([
				{ unitId: unit.unitId, customerId, at, figures: { processor: 10, nonsense: 3 } },
				{ unitId: unit.unitId, customerId, at: at + SLOT_MS, figures: { processor: 30, memory: 5 } }
			])
		);
		const span = { from: Date.now() - DAY_MS, to: Date.now() };
		const ours = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const theirs = await newPerson({ 'Southfold Physio': 'engineer' });
		const seen = (personId: string) =>
			runAs({ kind: 'person', personId }, () => seriesOf([unit.unitId], span, ['processor']));
		const { grain, series } = await seen(ours.id);
		expect(grain).to.equal('reading');
		expect(series).to.have.length(1);
		expect(series[0]!.key).to.equal('processor');
		expect(series[0]!.points.slice(-2).map(({ mean, known }) => [mean, known])).to.deep.equal([
			[10, 1],
			[30, 1]
		]);
		expect((await seen(theirs.id)).series).to.deep.equal([]);
	});

	it('tells for how much of a week a unit was there; what Limen did to it is taken out', async () => {
		const gateway = await onlineGateway();
		const { unitId } = gateway.unit;
		const customerId = await customerOf(unitId);
		await servedFor(unitId, 10);
		/** Goes away and comes back, as if it had been away for so many seconds. */
		async function awayFor(seconds: number) {
			await gateway.call!.end();
			await untilLost(unitId);
			await unwalled().raw(
				`update unit_connection set since = least(since, now() - make_interval(secs => :seconds)), ended_at = now() - make_interval(secs => :seconds) where unit_id = :unitId`,
				{ seconds, unitId }
			);
			await gateway.dial();
		}
		await awayFor(3600);
		const [first] = await unwalled()('absence').where({ unit_id: unitId });
		expect(first.planned).to.equal('');
		expect(first.to_at - first.from_at).to.be.within(3_600_000, 3_700_000);
		// It was yesterday
		await unwalled().raw(
			`update absence set from_at = from_at - interval '1 day', to_at = to_at - interval '1 day' where unit_id = ?`,
			[unitId]
		);
		await unwalled()('errand').insert({
			id: uuid(),
			unit_id: unitId,
			customer_id: customerId,
			kind: 'restart',
			state: 'done',
			begun_at: new Date(Date.now() - 601_000),
			ended_at: new Date(Date.now() - 600_000),
			deadline: new Date()
		});
		await awayFor(600);
		const all = await unwalled()('absence').where({ unit_id: unitId }).orderBy('from_at', 'desc');
		expect(all.map(({ planned }) => planned).sort()).to.deep.equal(['', 'restart']);
		const { rows } = await unwalled().raw('select site_id as "siteId" from position where id = ?', [
			gateway.unit.positionId
		]);
		const [site] = await asLimen(() =>
			uptimes({ from: Date.now() - 7 * DAY_MS, to: Date.now() }, { siteId: rows[0].siteId })
		);
		expect(site!.units).to.have.length(1);
		const { uptime, isAway } = site!.units[0]!;
		expect(isAway).to.equal(false);
		expect(uptime.times).to.equal(1);
		expect(uptime.planned / 1000).to.be.within(0, 700);
		expect(uptime.share!).to.be.within(99.3, 99.5);
		expect(site!.uptime.share).to.equal(uptime.share);
	});

	it('of all sites tells how many units were there all the time, of one site each of them', async () => {
		const [one, other] = [await onlineGateway(), await onlineGateway()];
		for (const { unit } of [one, other]) await servedFor(unit.unitId, 10);
		const customerId = await customerOf(one.unit.unitId);
		await unwalled()('absence').insert({
			unit_id: one.unit.unitId,
			customer_id: customerId,
			from_at: new Date(Date.now() - 2 * HOUR_MS),
			to_at: new Date(Date.now() - HOUR_MS)
		});
		const span = { from: Date.now() - 7 * DAY_MS, to: Date.now() };
		const siteOf = async (positionId: string): Promise<string> =>
			(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;
		const all = await asLimen(() => uptimes(span, { customers: [customerId] }, span.to));
		for (const [gateway, told, steady] of [
			[one, 1, 0],
			[other, 0, 1]
		] as const) {
			// prettier-ignore
			const siteId = await siteOf(gateway.unit.positionId);
			const listed = all.find((site) => site.siteId === siteId)!;
			const [alone] = await asLimen(() => uptimes(span, { siteId }, span.to));
			expect([listed.units.length, listed.steady]).to.deep.equal([told, steady]);
			expect([alone!.units.length, alone!.steady]).to.deep.equal([1, 0]);
			expect(listed.uptime).to.deep.equal(alone!.uptime);
			expect(listed.uptime.share === 100).to.equal(steady === 1);
		}
	});

	it('is kept as long as is set: partitions are made ahead, and old ones are let go', async () => {
		const parts = async (table: string): Promise<string[]> =>
			(
				await asOwner(
					`select inhrelid::regclass::text as name from pg_inherits where inhparent = $1::regclass order by 1`,
					[table]
				)
			).rows.map(({ name }) => name);
		await asOwner(`select limen_keep_health(now() - interval '9 days', 10, 30, 1000)`);
		expect((await parts('health_reading')).length).to.be.at.least(11);
		await runAs(CLEAN_UP, () => keepHealth());
		const kept = await parts('health_reading');
		expect(kept.length).to.be.within(4, 6);
		const dayOf = (ahead: number) =>
			new Date(Date.now() + ahead * DAY_MS).toISOString().slice(0, 10).replaceAll('-', '');
		expect(kept).to.include.members([-1, 0, 1].map((ahead) => `health_reading_${dayOf(ahead)}`));
	});
});
