import { SLOT_MS } from '../../../core/health';
import { database, timeNow } from '../database';
import { currentSettings } from '../settings';

/**
 * Readings are gathered into hours, and hours into days of each place's own calendar, by what is known of each stretch.
 * An hour also says for how much of it its unit was connected, which nobody has to be asked for.
 */

/** A reading can be a little late; so long after its end an hour is gathered. In minutes. */
const LATE = 6;
const READINGS_AN_HOUR = 3_600_000 / SLOT_MS;
/** After a long stop so many hours at a time. */
const MOST_HOURS = 200;

/** What several stretches come to, of `whole` of the same length: least, mean, greatest and the share that is known. */
const summedUp = (whole: string): string =>
	`array[min(low), (sum(mean::float8 * known) / sum(known::float8))::real, max(high), least(1, sum(known::float8) / ${whole})::real]`;
/** A row's figures together, with their keys beside them in the same order. */
const TOGETHER = `string_agg(key, e'\\n' order by key collate "C"), array_agg(figure order by key collate "C")`;

/** Gathers every hour that is over and was not gathered; done twice it does no harm. Runs as BOOTSTRAP. */
export async function gatherHours(now = new Date(timeNow())): Promise<void> {
	for (let turn = 0; turn < MOST_HOURS; turn++) if (!(await gatherNextHour(now))) return;
}

/** In its own transaction, so that what is done stays done; false when no hour is due. */
const gatherNextHour = (now: Date): Promise<boolean> =>
	database().transaction(async (trx) => {
		await trx.raw(
			// Only the first time: nothing tells when the first reading was but all of them
			`insert into health_gathered (grain, until)
			select 'hour', date_trunc('hour', coalesce((select min(at) from health_reading), :now::timestamptz), 'UTC')
			where not exists (select from health_gathered where grain = 'hour') on conflict do nothing`,
			{ now }
		);
		const { rows } = await trx.raw(
			`update health_gathered set until = until + interval '1 hour'
			where grain = 'hour' and until + interval '1 hour ${LATE} minutes' <= :now::timestamptz
			returning until - interval '1 hour' as "from", until as "to"`,
			{ now }
		);
		const [hour] = rows as { from: Date; to: Date }[];
		if (!hour) return false;
		await trx.raw(
			`with served as (
				-- when each unit came into service, or was bound where it is
				select binding.unit_id, binding.customer_id, greatest(run.ended_at, :from::timestamptz) as since
				from binding join run on run.id = binding.run_id and run.outcome = 'through' and run.ended_at < :to
			), away as (
				select served.unit_id, sum(extract(epoch from least(a.to_at, :to) - greatest(a.from_at, since))) as seconds
				from served join (
					select unit_id, from_at, to_at from absence where from_at < :to and to_at > :from
					union all select unit_id, ended_at, :to::timestamptz from unit_connection where ended_at < :to
					union all select unit_id, since, :to from served s where not exists (select from unit_connection c where c.unit_id = s.unit_id)
				) a on a.unit_id = served.unit_id and a.from_at < :to and a.to_at > since group by 1
			), figures as (
				select unit_id, customer_id, key, ${summedUp(String(READINGS_AN_HOUR))} as figure
				from health_reading row cross join lateral (
					select key, value as low, value as mean, value as high, 1::real as known from limen_moment(row.keys, row.figures)
				) m where at >= :from and at < :to group by 1, 2, 3
				union all
				select unit_id, customer_id, 'connected', array[share, share, share, known] from (
					select unit_id, customer_id, known, greatest(0, 100 * (1 - coalesce(away.seconds, 0) / (3600 * known)))::real as share
					from (select *, (extract(epoch from :to - since) / 3600)::real as known from served where since < :to) s
					left join away using (unit_id)
				) c
			)
			insert into health_hour (unit_id, customer_id, at, keys, figures)
			select unit_id, (array_agg(customer_id))[1], :from, ${TOGETHER} from figures group by unit_id
			on conflict (unit_id, at) do update set keys = excluded.keys, figures = excluded.figures`,
			hour
		);
		return true;
	});

/** Gathers each day that is over at some place and was not gathered: those of a zone together. Runs as BOOTSTRAP. */
export async function gatherDays(now = new Date(timeNow())): Promise<void> {
	const { rows } = await database().raw(
		`select z.zone, hours.until as hours, days.until as days,
			case when days.until is null then (select min(at) from health_hour) end as first
		from (select distinct time_zone as zone from site) z cross join (select until from health_gathered where grain = 'hour') hours
		left join health_gathered days on days.grain = 'day' and days.zone = z.zone`
	);
	for (const { zone, hours, days, first } of rows as {
		zone: string;
		hours: Date;
		days: Date | null;
		first: Date | null;
	}[]) {
		const from = days ?? first;
		if (from) await gatherDaysOf(zone, from, hours < now ? hours : now);
	}
}

/** All days of a zone that are over, from the one in which `from` lies on, in one statement. */
const gatherDaysOf = (zone: string, from: Date, until: Date): Promise<void> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select date_trunc('day', :from::timestamptz, :zone) as "from", date_trunc('day', :until::timestamptz, :zone) as "to"`,
			{ zone, from, until }
		);
		const [days] = rows as [{ from: Date; to: Date }];
		if (days.from >= days.to) return;
		await trx.raw(
			`with figures as (
				select row.unit_id, max(row.customer_id::text)::uuid as customer_id, day, key,
					-- a day has 23 to 25 hours
					${summedUp(`(extract(epoch from date_trunc('day', day + interval '26 hours', :zone) - day) / 3600)`)} as figure
				from health_hour row join binding on binding.unit_id = row.unit_id join position on position.id = binding.position_id
				join site on site.id = position.site_id and site.time_zone = :zone
				cross join lateral (select date_trunc('day', row.at, :zone) as day) of_day cross join lateral limen_stretch(row.keys, row.figures)
				where row.at >= :from and row.at < :to and known > 0 group by 1, 3, 4
			)
			insert into health_day (unit_id, customer_id, at, keys, figures)
			select unit_id, max(customer_id::text)::uuid, day, ${TOGETHER} from figures group by unit_id, day
			on conflict (unit_id, at) do update set keys = excluded.keys, figures = excluded.figures`,
			{ zone, ...days }
		);
		await trx.raw(
			`insert into health_gathered (grain, zone, until) values ('day', :zone, :to) on conflict (grain, zone) do update set until = excluded.until`,
			{ zone, to: days.to }
		);
	});

/** Makes room for what is to come, and lets go what is older than it is kept. Runs as CLEAN_UP. */
export async function keepHealth(since = new Date(timeNow())): Promise<void> {
	const { LIMEN_HEALTH_READINGS, LIMEN_HEALTH_HOURS, LIMEN_HEALTH_DAYS } = currentSettings();
	await database().transaction((trx) =>
		trx.raw('select limen_keep_health(:since::timestamptz, :readings, :hours, :days)', {
			since,
			readings: LIMEN_HEALTH_READINGS,
			hours: LIMEN_HEALTH_HOURS,
			days: LIMEN_HEALTH_DAYS
		})
	);
}
