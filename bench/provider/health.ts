import type pg from 'pg';
import type { Size } from './size';

const KEYS = [
	'memory', 'processor', 'received:lan1', 'received:wan0', 'sent:lan1', 'sent:wan0', 'temperature', 'trip'
]; // prettier-ignore
/** So many different figures are made once, and given to all in turn. */
const DIFFERENT = 997;
/** How far one statement goes: within a partition each is in the order of its key, so that the index grows at its end. */
const AT_ONCE = { readings: '1 day', hours: '7 days', days: '60 days' };

/** A unit that is online, and which of them it is. */
interface Online {
	readonly id: string;
	readonly customerId: string;
	readonly n: string;
}

/** How units did: five minutes of two days, hours of a month, days of the term. */
export async function makeHealth(
	client: pg.Client,
	{ days }: Size,
	online: readonly Online[]
): Promise<void> {
	const value = (key: string) => `(random() * ${key.includes(':') ? 1_000_000 : 90})::int`;
	const moment = KEYS.map(value).join(', ');
	const stretch = ['connected', ...KEYS].map((key) => `array[1, ${value(key)}, 99, 1]::real[]`).join(', ');
	await client.query(`
select limen_keep_health(now() - interval '${days.days} days', ${days.readings}, ${days.hours}, ${days.days});
create temp table made_unit (id uuid, customer_id uuid, n bigint);
create temp table made_figures as select place, array[${moment}]::real[] as moment, array[${stretch}] as stretch from generate_series(0, ${DIFFERENT - 1}) place;
analyze made_figures`);
	await client.query('insert into made_unit select * from unnest($1::uuid[], $2::uuid[], $3::bigint[])', [
		online.map(({ id }) => id),
		online.map(({ customerId }) => customerId),
		online.map(({ n }) => n)
	]);
	await client.query('analyze made_unit');
	const grains = [
		['health_day', 'stretch', '1 day', days.days, AT_ONCE.days, "date_trunc('day', now(), 'Pacific/Auckland')"],
		['health_hour', 'stretch', '1 hour', days.hours, AT_ONCE.hours, "date_trunc('hour', now())"],
		['health_reading', 'moment', '5 minutes', days.readings, AT_ONCE.readings, "date_bin('5 minutes', now(), 'epoch')"]
	] as const; // prettier-ignore
	for (const [table, figures, step, length, atOnce, until] of grains) {
		const { rows } = await client.query<{ begins: Date; ends: Date }>(
			`select begins, least(begins + interval '${atOnce}', ends) as ends from (select ${until} as ends) e,
			lateral generate_series(ends - interval '${length} days', ends - interval '1 second', interval '${atOnce}') begins`
		);
		for (const { begins, ends } of rows)
			await client.query(
				`insert into ${table} (unit_id, customer_id, at, keys, figures)
				select u.id, u.customer_id, at, $3, f.${figures}
				from generate_series($1::timestamptz, $2::timestamptz - interval '1 second', interval '${step}') with ordinality as t(at, turn)
				cross join made_unit u join made_figures f on f.place = (u.n + turn * 31) % ${DIFFERENT}
				order by u.id, at`,
				[begins, ends, (figures === 'moment' ? KEYS : ['connected', ...KEYS]).join('\n')]
			);
	}
	await client.query('analyze health_day; analyze health_hour; analyze health_reading');
}
