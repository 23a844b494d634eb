import { randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { CHARTED, figuresOf, SLOT_MS, SPANS, type Answers, type Counted } from '../../src/core/health';
import { database, ownerUrl } from '../../src/lib/server/database';
import {
	gatherHours,
	keepHealth,
	keepReadings,
	seriesOf,
	type UnitFigures
} from '../../src/lib/server/health';
import { asOwner, inTurns, type Figure } from '../world';

const UNITS = 10_000;
const CUSTOMERS = 60;
const TURNS = 7;
const AT_ONCE = 2_000;
const LEAST_SHARE = 0.7;
const MOST_YEAR = 1.5;
const [READINGS_A_DAY, DAYS_A_YEAR, HOUR_MS] = [288, 365, 3_600_000];

const PORTS = ['wan0', 'lan0', 'lan1', 'lan2'];
/** What a router with four ports and a tunnel answers. */
const answersAt = (at: number, turn: number): Answers => ({
	at,
	trip: 12.5,
	health: {
		processor: String(20 + (turn % 7)),
		memory: '41.5',
		temperature: '44.1',
		signal: '-87',
		uptime: String(1e6 + turn * 300)
	},
	ports: PORTS.map((port, index) => ({
		port,
		state: 'up',
		speed: '1000',
		received: String(turn * 123_456_789 * (index + 1)),
		sent: String(turn * 23_456_789 * (index + 1)),
		errors: '0'
	})),
	tunnels: [{ tunnel: 'hub', state: 'up', peer: '10.0.0.1' }]
});

/** Taking in how 10,000 units do, the charts of a day and of a year, and what it takes on disk. */
export async function benchHealth(): Promise<Figure[]> {
	const now = Math.floor(Date.now() / SLOT_MS) * SLOT_MS;
	await keepHealth(new Date(now - DAYS_A_YEAR * 24 * HOUR_MS));
	const customers = Array.from({ length: CUSTOMERS }, () => randomUUID());
	const units = Array.from({ length: UNITS }, (_, at) => ({
		unitId: randomUUID(),
		customerId: customers[at % CUSTOMERS]!
	}));
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	await asOwner('create table bare_reading (like health_reading including all)');
	const turnAt = (turn: number) => now - (TURNS - turn) * SLOT_MS;
	const counted = new Map<string, Counted>();
	const take = (turn: number): UnitFigures[] =>
		units.map((unit) => {
			const at = turnAt(turn);
			const read = figuresOf(counted.get(unit.unitId) ?? null, answersAt(at, turn));
			counted.set(unit.unitId, read.counted);
			return { ...unit, at, figures: read.figures };
		});
	take(0);
	const ready = Array.from({ length: TURNS }, (_, turn) =>
		take(turn + 1)
			.map(
				({ unitId, customerId, at, figures }) =>
					`${unitId}\t${customerId}\t${new Date(at).toISOString()}\t${Object.keys(figures).join('\\n')}\t{${Object.values(figures).join()}}\n`
			)
			.join('')
	);
	counted.clear();
	take(0);
	const bare = (turn: number) =>
		pipeline(
			Readable.from([ready[turn]!]),
			client.query(copyFrom('copy bare_reading (unit_id, customer_id, at, keys, figures) from stdin'))
		);
	const ours = async (turn: number) => {
		const rows = take(turn + 1);
		for (let from = 0; from < rows.length; from += AT_ONCE)
			await keepReadings(rows.slice(from, from + AT_ONCE));
	};
	const { baseline, measured, ratio } = await inTurns(TURNS, bare, ours);
	await client.end();

	const { rows: sizes } = await asOwner(
		`select sum(pg_total_relation_size(inhrelid))::float8 / (select count(*) from health_reading) as bytes
		from pg_inherits where inhparent = 'health_reading'::regclass`
	);
	// One unit's day in readings, and its year in days, among all the others
	const [one] = units;
	await asOwner(
		`insert into health_reading (unit_id, customer_id, at, keys, figures)
		select u.unit_id, u.customer_id, g, u.keys, u.figures from (select distinct on (unit_id) * from health_reading limit 1000) u,
			generate_series(now() - interval '24 hours', now() - interval '1 hour', interval '5 minutes') g on conflict do nothing;
		insert into health_reading (unit_id, customer_id, at, keys, figures)
		select unit_id, customer_id, g, keys, figures from (select * from health_reading where unit_id = '${one!.unitId}' limit 1) u, generate_series(date_bin('5 minutes', now() - interval '24 hours', '2024-01-01'), now(), interval '5 minutes') g on conflict do nothing`
	);
	await asOwner(
		`insert into health_day (unit_id, customer_id, at, keys, figures)
		select u.unit_id, u.customer_id, g, u.keys, (select array_agg(array[value, value, value, 1]) from unnest(u.figures) value)
		from ((select distinct on (unit_id) * from health_reading limit 200) union (select * from health_reading where unit_id = '${one!.unitId}' limit 1)) u,
			generate_series(now() - interval '364 days', now() - interval '1 day', interval '1 day') g on conflict do nothing;
		analyze health_reading; analyze health_day`
	);
	const chart = (length: number) => async () => {
		for (let times = 0; times < 10; times++)
			await seriesOf([one!.unitId], { from: Date.now() - length, to: Date.now() }, CHARTED);
	};
	const charts = await inTurns(TURNS, chart(SPANS.day.length - HOUR_MS), chart(SPANS.year.length));

	await database()('health_gathered')
		.insert({ grain: 'hour', until: new Date(Math.floor(now / HOUR_MS - 1) * HOUR_MS) })
		.onConflict(['grain', 'zone'])
		.merge();
	const began = performance.now();
	await gatherHours(new Date(now + HOUR_MS));
	const gathering = performance.now() - began;

	const bytes = (sizes[0] as { bytes: number }).bytes;
	const perYear = (bytes * (READINGS_A_DAY * 2) + bytes * 2.2 * (24 * 30 + DAYS_A_YEAR)) / 1e6;
	return [
		{
			name: `How ${UNITS} units do, from their answers to stored`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms (COPY of the ready rows into the same table)`,
			result: `${(1 / ratio).toFixed(2)} ×`,
			wanted: `at least ${LEAST_SHARE} ×`,
			held: 1 / ratio >= LEAST_SHARE
		},
		{
			name: 'The chart of a year, ten times',
			measured: `${charts.measured.toFixed(0)} ms`,
			baseline: `${charts.baseline.toFixed(0)} ms (that of a day)`,
			result: `${charts.ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST_YEAR} ×`,
			held: charts.ratio <= MOST_YEAR
		},
		{
			name: 'Gathering the hours that are due',
			measured: `${gathering.toFixed(0)} ms`,
			baseline: '',
			result: `${bytes.toFixed(0)} octets a reading, some ${perYear.toFixed(1)} MB a unit after a year`,
			wanted: 'told',
			held: true
		}
	];
}
