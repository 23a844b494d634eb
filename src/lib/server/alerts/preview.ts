import { episodes, type AlertRule, type FigureRule } from '../../../core/alerts';
import { SLOT_MS, type Point } from '../../../core/health';
import { database } from '../database';

/** What a rule would have told in the last week. */
export interface Preview {
	readonly times: number;
	readonly units: number;
	/** The units that it would have told of most, with how often. */
	readonly most: readonly { readonly unitId: string; readonly where: string; readonly times: number }[];
	/** From when on it was looked at by the hour, not by the reading. */
	readonly isByHour: boolean;
}

const DAYS = 7;
const HOUR_MS = 3_600_000;
const MOST_SHOWN = 10;
/** So many units are looked at; the rest would be more of the same. */
const MOST_UNITS = 2_000;

/** Of those units that whoever asks may see; `customer`: of whose, null for everybody's. */
export async function previewRule(rule: AlertRule, customer: string | null): Promise<Preview> {
	const counts = await countsOf(rule, customer);
	const units = [...counts].filter(([, times]) => times > 0).sort(([, one], [, other]) => other - one);
	const shown = units.slice(0, MOST_SHOWN);
	const { rows } = await database().raw(
		`select unit.id, coalesce(site.name || ', ' || position.name, unit.serial) as where from unit
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where unit.id = any (:units::uuid[])`,
		{ units: shown.map(([id]) => id) }
	);
	const names = new Map((rows as { id: string; where: string }[]).map(({ id, where }) => [id, where]));
	return {
		times: units.reduce((sum, [, times]) => sum + times, 0),
		units: units.length,
		most: shown.map(([unitId, times]) => ({ unitId, where: names.get(unitId) ?? '', times })),
		isByHour: rule.about === 'figure'
	};
}

async function countsOf(rule: AlertRule, customer: string | null): Promise<ReadonlyMap<string, number>> {
	if (rule.about === 'figure') return figureCounts(rule, customer);
	const { rows } = await database().raw(
		`select unit_id as "unitId", count(*)::int as times from (${HAPPENED[rule.about]}) h
		where :customer::uuid is null or customer_id = :customer::uuid group by 1`,
		{
			...rule,
			...(rule.about === 'said' && { like: `%${rule.words.replace(/[\\%_]/g, '\\$&')}%` }),
			customer
		}
	);
	return new Map((rows as { unitId: string; times: number }[]).map(({ unitId, times }) => [unitId, times]));
}

/** Each time in the last week that a rule would have told of a unit. */
const HAPPENED: { readonly [About in Exclude<AlertRule['about'], 'figure'>]: string } = {
	'not heard': `select unit_id, customer_id from (
			select unit_id, customer_id, to_at - from_at as lasted from absence where to_at > now() - interval '${DAYS} days' and planned = ''
			union all select c.unit_id, c.customer_id, now() - c.ended_at from unit_connection c join binding on binding.unit_id = c.unit_id
				join run on run.id = binding.run_id and run.outcome = 'through' where c.ended_at is not null
		) a where lasted >= make_interval(mins => :minutes)`,
	// By what is normal for such steps now
	late: `select run.unit_id, run.customer_id from (
			select run_id, group_id, seconds from step_time where began_at > now() - interval '${DAYS} days' and run_id is not null
			union all select id, group_id, extract(epoch from now() - since) from run where outcome = 'open'
		) t join step_group normal on normal.id = t.group_id join run on run.id = t.run_id
		where t.seconds > normal.late + :minutes * 60`,
	drift: `select unit_id, customer_id from (
			select unit_id, customer_id, state, at, lag(state) over (partition by unit_id order by at) as before,
				(select min(later.at) from drift_look later where later.unit_id = l.unit_id and later.at > l.at and later.state = 'as intended') as until
			from drift_look l where at > now() - interval '${DAYS} days'
		) d where state = 'differs' and before is distinct from 'differs' and coalesce(until, now()) - at >= make_interval(mins => :minutes)`,
	ending: `select v.unit_id, v.customer_id from voucher v join binding on binding.unit_id = v.unit_id join run on run.id = binding.run_id
		where run.outcome <> 'through' and v.expires_at - make_interval(days => :days) between now() - interval '${DAYS} days' and now()`,
	// One that goes on is one: it ends once as much time has passed without
	said: `select unit_id, customer_id from (
			select unit_id, customer_id, at, lag(at) over (partition by unit_id order by at) as before from (
				select unit_id, customer_id, at, count(*) over (partition by unit_id order by at range between make_interval(mins => :minutes) preceding and current row) as said
				from event where at > now() - interval '${DAYS} days' and severity <= :severity and kind not like 'ALERT-%'
					and (:words = '' or words ilike :like) and (:customer::uuid is null or customer_id = :customer::uuid)
			) e where said >= :times
		) f where before is null or at - before > make_interval(mins => :minutes)`
};

/** By the hour for the days whose readings are gone, then reading by reading. */
async function figureCounts(rule: FigureRule, customer: string | null): Promise<ReadonlyMap<string, number>> {
	const { rows } = await database().raw(
		`with unit as (
			select binding.unit_id from binding where :customer::uuid is null or binding.customer_id = :customer::uuid order by 1 limit ${MOST_UNITS}
		), since as (
			select coalesce(min(first.at), now()) as at from unit cross join lateral (
				select at from health_reading r where r.unit_id = unit.unit_id and at > now() - interval '${DAYS} days' order by at limit 1
			) first
		)
		select unit_id as "unitId", key, is_hour as "isHour", array_agg(extract(epoch from at)::float8 * 1000 order by at) as at, array_agg(value order by at) as values
		from (
			select h.unit_id, f.key, true as is_hour, h.at, f.mean as value from unit join health_hour h on h.unit_id = unit.unit_id
				and h.at > now() - interval '${DAYS} days' and h.at < (select at from since) cross join lateral limen_stretch(h.keys, h.figures) f
			where split_part(f.key, ':', 1) = :figure
			union all
			select r.unit_id, f.key, false, r.at, f.value from unit join health_reading r on r.unit_id = unit.unit_id
				and r.at >= (select at from since) cross join lateral limen_moment(r.keys, r.figures) f
			where split_part(f.key, ':', 1) = :figure
		) p group by 1, 2, 3`,
		{ figure: rule.figure, customer }
	);
	const counts = new Map<string, number>();
	for (const { unitId, isHour, at, values } of rows as {
		unitId: string;
		isHour: boolean;
		at: number[];
		values: number[];
	}[]) {
		const points: Point[] = at.map((instant, index) => {
			const mean = values[index]!;
			return { at: instant, min: mean, mean, max: mean, known: 1 };
		});
		const times = episodes(rule, points, isHour ? HOUR_MS : SLOT_MS).length;
		counts.set(unitId, (counts.get(unitId) ?? 0) + times);
	}
	return counts;
}
