import { ALERT_KINDS } from '../../../core/events';
import { figureKind, type Figure } from '../../../core/health';
import type { Block, ReportPart } from '../../../core/report';
import { UPTIME_ROWS } from '../health';

type Table = Extract<Block, { kind: 'table' }>;

/**
 * A table that is read: its rows come as JSON that the database writes and a thread reads, so that nobody waits for either.
 * `as`: rows of the table, or of units with their absences, of which the table is computed.
 */
export interface Wanted extends Pick<Table, 'title' | 'otherwise' | 'mono' | 'columns'> {
	readonly as: 'rows' | 'uptimes';
	/** Whose columns are those of the table, in order. */
	readonly sql: string;
}

/** The bindings of each statement: whose, of which units (null: of all), from when to when, by which clock. */
export interface Scope {
	readonly customer: string | null;
	readonly units: readonly string[] | null;
	readonly from: Date;
	readonly to: Date;
	readonly zone: string;
}

const THEIRS = (column: string) => `(:customer::uuid is null or ${column} = :customer::uuid)`;
const WITHIN = (column: string) => `${column} >= :from and ${column} < :to`;
const OF_UNITS = (column: string) => `(:units::uuid[] is null or ${column} = any (:units::uuid[]))`;
const OF_SITES = (column: string) => `(:units::uuid[] is null or ${column} in (
	select p.site_id from binding b join position p on p.id = b.position_id where b.unit_id = any (:units::uuid[])))`;
/** For what not everybody may know of whom they see: with many customers, of those alone where they may. */
const OF_RECORDS = (column: string) =>
	`((select limen_sees_all()) or ${column} = any ((select limen_reads_records())::uuid[]))`;
const MOMENT = (column: string, zone = ':zone') =>
	`to_char(${column} at time zone ${zone}, 'YYYY-MM-DD HH24:MI')`;

const kindWords = `case kind ${Object.entries(ALERT_KINDS)
	.map(([kind, words]) => `when '${kind}' then '${words.replaceAll("'", "''")}'`)
	.join(' ')} else kind end`;

/** Of a unit's figures the mean of the days, and what was worst; of ports and tunnels that of the worst. */
const figureColumns = (figure: Figure) => {
	const { worse, unit, words } = { worse: 'high', ...figureKind(figure) };
	const worst = worse === 'low' ? 'min' : 'max';
	const in_ = unit === '' ? '' : `, ${unit}`;
	const column = (of: string) =>
		`round((${worst}(${of}) filter (where figure = '${figure}'))::numeric, 2)::float8`;
	return {
		headings: [`${words}, mean${in_}`, `${worse === 'low' ? 'lowest' : 'highest'}${in_}`],
		columns: [
			`${column('mean')} as ${figure}_mean`,
			`${column(worse === 'low' ? 'least' : 'most')} as ${figure}_worst`
		]
	};
};

/** Each part, as tables. Everything is read as whoever asks, behind their walls. */
export const PARTS: { readonly [Part in Exclude<ReportPart, 'figures'>]: readonly Wanted[] } = {
	inventory: [
		{
			title: 'What there is',
			otherwise: 'There is no unit.',
			columns: ['Customer', 'Maker', 'Model', 'Units', 'At a place'],
			as: 'rows',
			sql: `select customer.name as a, maker.name as b, model.name as c, count(*)::int as d, count(binding.unit_id)::int as e
			from unit join customer on customer.id = unit.customer_id join model on model.id = unit.model_id join maker on maker.id = unit.maker_id
			left join binding on binding.unit_id = unit.id where ${THEIRS('unit.customer_id')} and ${OF_UNITS('unit.id')} group by 1, 2, 3 order by 1, 2, 3`
		}
	],
	units: [
		{
			title: 'Each unit',
			otherwise: 'There is no unit.',
			columns: ['Site', 'Position', 'Model', 'Serial number', 'Stands', 'Version', 'Profile', 'Configuration', 'MAC address', 'Maker', 'Customer', 'Claimed', 'Bound', 'Online since', 'Sign of life', 'Memory', 'Modules'], // prettier-ignore
			mono: [3, 8],
			as: 'rows',
			sql: `select site.name as a, position.name as b, model.name as c, unit.serial as d,
				case when unit.out_of_service_at is not null then 'out of service' when unit.ownership = 'refused' then 'refused' when stands.unit_id is null then 'free' else stands.standing end as e,
				unit.reported_version as f, profile.name as g, drifted.state as h, unit.mac::text as i, maker.name as j, customer.name as k, ${MOMENT('unit.claimed_at')} as l,
				${MOMENT('binding.bound_at')} as m, case when run.outcome = 'through' then ${MOMENT('run.ended_at')} end as n, ${MOMENT('unit.heard_at')} as o,
				(select value from unit_fact f where f.unit_id = unit.id and fact = 'memory' and until is null) as p,
				(select value from unit_fact f where f.unit_id = unit.id and fact = 'modules' and until is null) as q
			from unit join customer on customer.id = unit.customer_id join model on model.id = unit.model_id join maker on maker.id = unit.maker_id
			left join position_standing stands on stands.unit_id = unit.id left join binding on binding.unit_id = unit.id left join run on run.id = binding.run_id
			left join position on position.id = binding.position_id left join profile on profile.id = position.profile_id left join site on site.id = position.site_id
			left join unit_drift drifted on drifted.unit_id = unit.id and drifted.position_id = position.id
			where ${THEIRS('unit.customer_id')} and ${OF_UNITS('unit.id')} order by customer.name, site.name, position.name, unit.serial`
		}
	],
	standing: [
		{
			title: 'How sites stand',
			otherwise: 'There is no site.',
			columns: ['Customer', 'Site', 'Place', 'How it stands', 'Units online', 'Positions'],
			as: 'rows',
			sql: `select customer.name as a, site.name as b, concat_ws(', ', nullif(street, ''), nullif(locality, '')) as c, word as d, online as e, positions as f
			from site join customer on customer.id = site.customer_id join site_standing stands on stands.site_id = site.id
			where ${THEIRS('site.customer_id')} and ${OF_SITES('site.id')} order by 1, 2`
		}
	],
	proofs: [
		{
			title: 'Proofs',
			otherwise: 'No site was proved in that time.',
			columns: ['Site', 'Proofs that held', 'Proofs that did not', 'Last'],
			as: 'rows',
			sql: `select site.name as a, count(*) filter (where state = 'held')::int as b, count(*) filter (where state = 'failed')::int as c,
				${MOMENT('max(ended_at)', 'site.time_zone')} as d
			from site_proof p join site on site.id = p.site_id where ${THEIRS('p.customer_id')} and ${OF_SITES('site.id')} and ${WITHIN('p.ended_at')} group by site.id order by 1`
		},
		{
			title: 'Handovers',
			otherwise: 'No site was handed over in that time.',
			columns: ['Site', 'Number', 'Made', 'By', 'Accepted by', 'Proof', 'Open points'],
			as: 'rows',
			sql: `select site.name as a, number as b, ${MOMENT('made_at', 'site.time_zone')} as c, made_by as d, accepted_by as e, state as f, open_points as g
			from handover h join site on site.id = h.site_id where ${THEIRS('h.customer_id')} and ${OF_SITES('site.id')} and ${WITHIN('made_at')} order by made_at`
		}
	],
	changes: [
		{
			title: 'Who changed what, how often',
			otherwise: 'Nobody changed anything in that time.',
			columns: ['Who', 'What', 'Times', 'First', 'Last'],
			as: 'rows',
			sql: `select actor as a, act as b, count(*)::int as c, ${MOMENT('min(at)')} as d, ${MOMENT('max(at)')} as e
			from ledger_entry where ${THEIRS('customer_id')} and ${OF_RECORDS('customer_id')} and ${WITHIN('at')} and result = 'done' group by 1, 2 order by 1, 3 desc, 2`
		}
	],
	health: [
		{
			title: 'How long sites were connected',
			otherwise: 'No site was online in that time.',
			columns: ['Customer', 'Site', 'Connected', 'Units', 'The worst unit'],
			as: 'uptimes',
			sql: UPTIME_ROWS
		}
	],
	alerts: [
		{
			title: 'Alerts',
			otherwise: 'Nothing was told of in that time.',
			columns: ['Site', 'What', 'Times', 'Still going on', 'Hours, all together'],
			as: 'rows',
			sql: `select coalesce(site.name, 'in no place') as a, ${kindWords} as b, count(*)::int as c, count(*) filter (where alert.ended_at is null)::int as d,
				round(sum(extract(epoch from least(coalesce(alert.ended_at, now()), :to) - greatest(begun_at, :from)) / 3600)::numeric, 1)::float8 as e
			from alert left join binding on binding.unit_id = alert.unit_id left join position on position.id = binding.position_id left join site on site.id = position.site_id
			where ${THEIRS('alert.customer_id')} and ${OF_UNITS('alert.unit_id')} and begun_at < :to and coalesce(alert.ended_at, now()) >= :from group by 1, 2 order by 3 desc, 1, 2`
		}
	],
	firmware: [
		{
			title: 'Firmware',
			otherwise: 'No unit is at a place.',
			columns: ['Model', 'Release', 'Units', 'Of them behind'],
			as: 'rows',
			sql: `select model.name as a, coalesce(reported_version, 'not known') as b, count(*)::int as c, count(*) filter (where due.is_behind)::int as d
			from binding join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
			left join unit_due due on due.unit_id = unit.id and due.position_id = binding.position_id
			where ${THEIRS('binding.customer_id')} and ${OF_UNITS('unit.id')} group by 1, 2 order by 1, 3 desc, 2`
		}
	],
	secrets: [
		{
			title: 'How old secrets are',
			otherwise: 'There is no secret.',
			columns: [
				'Customer',
				'What',
				'Secrets',
				'Oldest since',
				'To be renewed after days',
				'Past that',
				'Of unknown age'
			],
			as: 'rows',
			sql: `select customer.name as a, case when tunnel_id is null then field else 'tunnels' end as b, count(*)::int as c, ${MOMENT('min(since)')} as d,
				coalesce(own.days, general.days) as e, count(*) filter (where since + make_interval(days => coalesce(own.days, general.days)) < now())::int as f,
				count(*) filter (where since is null)::int as g
			from secret join customer on customer.id = secret.customer_id
			left join secret_rule own on own.customer_id = secret.customer_id and own.about = case when tunnel_id is null then 'field ' || field else 'tunnels' end
			left join secret_rule general on general.customer_id = secret.customer_id and general.about = ''
			where ${THEIRS('secret.customer_id')} and ${OF_RECORDS('secret.customer_id')} group by 1, 2, 5 order by 1, 2`
		}
	],
	cohorts: [
		{
			title: 'Cohorts',
			otherwise: 'There is no cohort.',
			columns: ['Cohort', 'Units at the beginning', 'Units at the end'],
			as: 'rows',
			sql: `select name as a, (select units from cohort_size s where s.cohort_id = cohort.id and day >= :from::date and day < :to order by day limit 1) as b,
				(select units from cohort_size s where s.cohort_id = cohort.id and day >= :from::date and day < :to order by day desc limit 1) as c
			from cohort where ${THEIRS('customer_id')} order by 1`
		}
	],
	rollouts: [
		{
			title: 'Rollouts',
			otherwise: 'There was no rollout in that time.',
			columns: ['What', 'Begun by', 'Begun', 'Units', 'Done', 'Failed', 'State'],
			as: 'rows',
			sql: `select title as a, actor as b, ${MOMENT('rollout.begun_at')} as c, count(item.unit_id)::int as d,
				count(*) filter (where item.state = 'done')::int as e, count(*) filter (where item.state = 'failed')::int as f, rollout.state as g
			from rollout left join rollout_item item on item.rollout_id = rollout.id
			where ${THEIRS('rollout.customer_id')} and rollout.begun_at < :to and coalesce(rollout.ended_at, now()) >= :from group by rollout.id order by rollout.begun_at`
		}
	]
};

/** How units did on the days of a period: a unit’s days are kept by the clock of its site, whichever the report’s is. */
export function figuresPart(figures: readonly Figure[]): Wanted {
	const columns = figures.map(figureColumns);
	return {
		title: 'How units did',
		otherwise: 'Nothing is known of that time.',
		columns: ['Site', 'Position', 'Serial number', ...columns.flatMap(({ headings }) => headings)],
		mono: [2],
		as: 'rows',
		sql: `select site.name as site, position.name as position, unit.serial as serial, ${columns.flatMap((each) => each.columns).join(', ')}
		from (
			select day.unit_id, split_part(key, ':', 1) as figure, sum(each.mean::float8 * known) / nullif(sum(known::float8), 0) as mean, min(low) as least, max(high) as most
			from health_day day join binding here on here.unit_id = day.unit_id join position p on p.id = here.position_id join site s on s.id = p.site_id
				cross join lateral limen_stretch(day.keys, day.figures) each
			where day.at >= :from::timestamptz - interval '1 day' and day.at < :to::timestamptz + interval '1 day'
				and (day.at at time zone s.time_zone)::date >= (:from::timestamptz at time zone :zone)::date
				and (day.at at time zone s.time_zone)::date < (:to::timestamptz at time zone :zone)::date and split_part(key, ':', 1) = any (array[${figures.map((figure) => `'${figure}'`).join(', ')}]) group by day.unit_id, key
		) known join unit on unit.id = known.unit_id join binding on binding.unit_id = unit.id join position on position.id = binding.position_id
		join site on site.id = position.site_id
		where ${THEIRS('unit.customer_id')} and ${OF_UNITS('unit.id')} group by site.id, position.id, unit.id order by 1, 2`
	};
}
