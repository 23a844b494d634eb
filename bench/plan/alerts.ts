import { say } from '../../command/problem';
import { watchFigures } from '../../src/lib/server/alerts';
import { database, runAs } from '../../src/lib/server/database';
import { events } from '../../src/lib/server/events';
import { keepHealth } from '../../src/lib/server/health';
import { SLOT_MS } from '../../src/core/health';
import { goodFor, readWall } from '../../src/lib/server/wall';
import { administratorSession, asOwner, customerWithRuns, inTurns, median, type Figure } from '../world';

const UNITS = 10_000;
const TURNS = 7;
const MOST_RULES = 2;
const RULES = [
	['processor', 97, 80],
	['memory', 95, 90],
	['temperature', 80, 70],
	['errors', 500, 10],
	['trip', 400, 200],
	['received', 9e8, 8e8],
	['sent', 9e8, 8e8],
	['clients', 300, 250]
] as const;
const MOST_WALL = 1;
const [FEW, MANY] = [500_000, 5_000_000];
const MOST_SEARCH = 1.2;
/** Often, now and then, seldom, never. */
const WORDS = ['carrier', 'port7 down', 'w49999x', 'nobody says this'];

/** What is told of 10,000 units, the wall that shows them, and the search in what they said. */
export async function benchAlerts(): Promise<Figure[]> {
	const { customerId } = await customerWithRuns('Bench alerts', UNITS);
	for (const step of ['calling', 'identity', 'firmware', 'configuration', 'proof', 'online'])
		await asOwner(
			`update run set step = '${step}'${step === 'online' ? `, outcome = 'through', ended_at = now()` : ''} where customer_id = '${customerId}'`
		);
	// As the database does by itself some minutes after a fleet has come
	await asOwner('vacuum analyze');
	const first = [await rules(), await wall()];
	for (const { name, measured, result } of first) say(`${name}: ${measured}, ${result}`);
	return [...first, await search(customerId)];
}

async function rules(): Promise<Figure> {
	const now = Math.floor(Date.now() / SLOT_MS) * SLOT_MS;
	await keepHealth(new Date(now - 24 * 3_600_000));
	await asOwner(
		`insert into health_reading (unit_id, customer_id, at, keys, figures)
		select unit_id, customer_id, g, e'processor\\nmemory\\ntemperature\\ntrip\\nreceived:wan0\\nsent:wan0\\nerrors:wan0\\nport:wan0\\n'
			'received:lan0\\nsent:lan0\\nerrors:lan0\\nport:lan0\\ntunnel:hub',
			array[20 + random() * 50, 40, 44, 12, random() * 1e8, random() * 1e7, 0, 1, 1e6, 1e6, 0, 1, 1]
		from binding, generate_series(to_timestamp(${(now - 3 * SLOT_MS) / 1000}), to_timestamp(${now / 1000}), interval '5 minutes') g on conflict do nothing`
	);
	await asOwner('delete from alert_rule');
	await asOwner('vacuum analyze health_reading');
	for (const [figure, limit, back] of RULES)
		await database()('alert_rule').insert({
			id: database().raw('gen_random_uuid()'),
			name: figure,
			made_by: 'bench',
			rule: JSON.stringify({ about: 'figure', figure, side: 'above', limit, back, minutes: 15 })
		});
	const scan = () =>
		database().raw(
			`select count(*), sum(f.value) from binding join health_reading r on r.unit_id = binding.unit_id and r.at > ?::timestamptz - interval '20 minutes'
			cross join lateral limen_moment(r.keys, r.figures) f`,
			[new Date(now + 60_000)]
		);
	// All five minutes of a stretch: every unit once
	const watch = async () => {
		for (let minute = 0; minute < 5; minute++) await watchFigures(new Date(now + minute * 60_000));
	};
	const { baseline, measured, ratio } = await inTurns(TURNS, scan, watch);
	return {
		name: `${RULES.length} rules held against the figures of ${UNITS} units`,
		measured: `${measured.toFixed(0)} ms`,
		baseline: `${baseline.toFixed(0)} ms (a scan of the same figures)`,
		result: `${ratio.toFixed(2)} ×`,
		wanted: `at most ${MOST_RULES} ×`,
		held: ratio <= MOST_RULES
	};
}

async function wall(): Promise<Figure> {
	const times: number[] = [];
	for (let turn = 0; turn < TURNS; turn++) {
		const began = performance.now();
		await readWall(null);
		times.push(performance.now() - began);
	}
	const took = median(times);
	const share = (took / goodFor(took)) * 100;
	return {
		name: `The wall over ${UNITS} sites, read anew every ${(goodFor(took) / 1000).toFixed(0)} s`,
		measured: `${took.toFixed(0)} ms`,
		baseline: '',
		result: `${share.toFixed(2)} % of a core, were all of it computing`,
		wanted: `at most ${MOST_WALL} %`,
		held: share <= MOST_WALL + 0.001
	};
}

async function search(customerId: string): Promise<Figure> {
	const speak = (from: number, to: number) =>
		asOwner(
			`insert into event (id, unit_id, customer_id, at, severity, facility, app, kind, words, form)
			select limen_uuid7(), u.id, '${customerId}', now() - make_interval(secs => ${MANY} - n), n % 8, 1, 'linkd', '',
				case when n % 3 = 0 then 'carrier lost on ' else 'state of ' end || 'port' || n % 1000 || case when n % 7 = 0 then ' down' else ' up' end
					|| ', seen by w' || n % 100000 || 'x at ' || md5(n::text), 'rfc5424'
			from generate_series(${from}, ${to}) n join (select id, row_number() over () - 1 as at from unit where customer_id = '${customerId}') u on u.at = n % ${UNITS} order by n`
		);
	await administratorSession();
	const { id: personId } = await database()('person').where({ administrator: true }).first('id');
	const times = async () => {
		const each: Record<string, number> = {};
		for (const text of WORDS) {
			const runs: number[] = [];
			for (let turn = 0; turn < TURNS; turn++) {
				const began = performance.now();
				await runAs({ kind: 'person', personId }, () => events({ text }));
				runs.push(performance.now() - began);
			}
			each[text] = median(runs);
		}
		return each;
	};
	await speak(1, FEW);
	await asOwner('vacuum analyze event');
	const few = await times();
	await asOwner('drop index event_said');
	await speak(FEW + 1, MANY);
	await asOwner(`create index event_said on event using gin ((app || ': ' || words) gin_trgm_ops)`);
	await asOwner('vacuum analyze event');
	const many = await times();
	const sum = (each: Record<string, number>) => Object.values(each).reduce((all, one) => all + one, 0);
	const ratio = sum(many) / sum(few);
	await asOwner('truncate event');
	return {
		name: `Searching ${MANY} events (${WORDS.map((word) => `“${word}” ${many[word]!.toFixed(0)} ms`).join(', ')})`,
		measured: `${sum(many).toFixed(0)} ms`,
		baseline: `${sum(few).toFixed(0)} ms (${FEW} events)`,
		result: `${ratio.toFixed(2)} ×`,
		wanted: `at most ${MOST_SEARCH} ×`,
		held: ratio <= MOST_SEARCH
	};
}
