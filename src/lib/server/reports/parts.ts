import { ALERT_KINDS, type AlertKind } from '../../../core/events';
import type { Block, ReportPart } from '../../../core/report';
import { shareWords } from '../../../core/health';
import { database } from '../database';
import { uptimes } from '../health';

/** What is looked at: whose, and from when to when. */
export interface Scope {
	/** Null: of all that whoever reads may see. */
	readonly customerId: string | null;
	readonly from: Date;
	readonly to: Date;
	/** Whether what people did may be told. */
	readonly records: boolean;
}
type Table = Extract<Block, { kind: 'table' }>;
type Row = Readonly<Record<string, string | number | null>>;

const MOST_ROWS = 50_000;

/** Rows of a statement whose columns are those of the table. */
async function table(
	{ title, otherwise, mono }: Pick<Table, 'title' | 'otherwise' | 'mono'>,
	columns: readonly string[],
	sql: string,
	{ customerId, from, to }: Scope
): Promise<Table> {
	const { rows } = await database().raw(`${sql} limit ${MOST_ROWS}`, { customer: customerId, from, to });
	const found = rows as Row[];
	const figures = Object.values(found[0] ?? {}).flatMap((_, at) =>
		found.every((row) => typeof (Object.values(row)[at] ?? 0) === 'number') ? [at] : []
	);
	return {
		kind: 'table',
		title,
		columns,
		otherwise,
		...(mono && { mono }),
		figures,
		rows: found.map((row) => Object.values(row).map((value) => String(value ?? '')))
	};
}

const THEIRS = (column: string) => `(:customer::uuid is null or ${column} = :customer::uuid)`;
const WITHIN = (column: string) => `${column} >= :from and ${column} < :to`;

/** Each part, as tables. Everything is read as whoever asks, behind their walls. */
export const PARTS: { readonly [Part in ReportPart]: (scope: Scope) => Promise<readonly Table[]> } = {
	inventory: async (scope) => [
		await table(
			{ title: 'What there is', otherwise: 'There is no unit.' },
			['Customer', 'Maker', 'Model', 'Units', 'At a place'],
			`select customer.name as a, maker.name as b, model.name as c, count(*)::int as d, count(binding.unit_id)::int as e
			from unit join customer on customer.id = unit.customer_id join model on model.id = unit.model_id join maker on maker.id = unit.maker_id
			left join binding on binding.unit_id = unit.id where ${THEIRS('unit.customer_id')} group by 1, 2, 3 order by 1, 2, 3`,
			scope
		)
	],
	standing: async (scope) => [
		await table(
			{ title: 'How sites stand', otherwise: 'There is no site.' },
			['Customer', 'Site', 'Place', 'How it stands', 'Units online', 'Positions'],
			`select customer.name as a, site.name as b, concat_ws(', ', nullif(street, ''), nullif(locality, '')) as c, word as d, online as e, positions as f
			from site join customer on customer.id = site.customer_id join site_standing stands on stands.site_id = site.id
			where ${THEIRS('site.customer_id')} order by 1, 2`,
			scope
		)
	],
	proofs: async (scope) => [
		await table(
			{ title: 'Proofs', otherwise: 'No site was proved in that time.' },
			['Site', 'Proofs that held', 'Proofs that did not', 'Last'],
			`select site.name as a, count(*) filter (where state = 'held')::int as b, count(*) filter (where state = 'failed')::int as c,
				to_char(max(ended_at) at time zone site.time_zone, 'YYYY-MM-DD HH24:MI') as d
			from site_proof p join site on site.id = p.site_id where ${THEIRS('p.customer_id')} and ${WITHIN('p.ended_at')} group by site.id order by 1`,
			scope
		),
		await table(
			{ title: 'Handovers', otherwise: 'No site was handed over in that time.' },
			['Site', 'Number', 'Made', 'By', 'Accepted by', 'Proof', 'Open points'],
			`select site.name as a, number as b, to_char(made_at at time zone site.time_zone, 'YYYY-MM-DD HH24:MI') as c, made_by as d, accepted_by as e, state as f, open_points as g
			from handover h join site on site.id = h.site_id where ${THEIRS('h.customer_id')} and ${WITHIN('made_at')} order by made_at`,
			scope
		)
	],
	changes: async (scope) =>
		!scope.records
			? []
			: [
					await table(
						{ title: 'Who changed what, how often', otherwise: 'Nobody changed anything in that time.' },
						['Who', 'What', 'Times', 'First (UTC)', 'Last (UTC)'],
						`select actor as a, act as b, count(*)::int as c, to_char(min(at) at time zone 'UTC', 'YYYY-MM-DD HH24:MI') as d, to_char(max(at) at time zone 'UTC', 'YYYY-MM-DD HH24:MI') as e
						from ledger_entry where ${THEIRS('customer_id')} and ${WITHIN('at')} and result = 'done' group by 1, 2 order by 1, 3 desc, 2`,
						scope
					)
				],
	health: async ({ customerId, from, to }) => {
		const sites = await uptimes(
			{ from: from.getTime(), to: Math.min(to.getTime(), Date.now()) },
			{ customers: customerId === null ? null : [customerId] }
		);
		return [
			{
				kind: 'table',
				title: 'How long sites were connected',
				columns: ['Customer', 'Site', 'Connected', 'Units', 'The worst unit'],
				otherwise: 'No site was online in that time.',
				rows: [...sites]
					.sort((one, other) => (one.uptime.share ?? 1) - (other.uptime.share ?? 1))
					.map(({ customerName, siteName, uptime, units }) => {
						const worst = [...units].sort(
							(one, other) => (one.uptime.share ?? 1) - (other.uptime.share ?? 1)
						)[0];
						return [
							customerName,
							siteName,
							shareWords(uptime) ?? 'not in service then',
							String(units.length),
							worst ? `${worst.positionName}, ${shareWords(worst.uptime) ?? 'not in service then'}` : ''
						];
					})
			}
		];
	},
	alerts: async (scope) => {
		const told = await table(
			{ title: 'Alerts', otherwise: 'Nothing was told of in that time.' },
			['Site', 'What', 'Times', 'Still going on', 'Hours, all together'],
			`select coalesce(site.name, 'in no place') as a, kind as b, count(*)::int as c, count(*) filter (where alert.ended_at is null)::int as d,
				round(sum(extract(epoch from least(coalesce(alert.ended_at, now()), :to) - greatest(begun_at, :from)) / 3600)::numeric, 1)::float8 as e
			from alert left join binding on binding.unit_id = alert.unit_id left join position on position.id = binding.position_id left join site on site.id = position.site_id
			where ${THEIRS('alert.customer_id')} and begun_at < :to and coalesce(alert.ended_at, now()) >= :from group by 1, 2 order by 3 desc, 1, 2`,
			scope
		);
		const named = told.rows.map((row) => row.with(1, ALERT_KINDS[row[1] as AlertKind] ?? row[1]!));
		return [{ ...told, rows: named }];
	},
	firmware: async (scope) => [
		await table(
			{ title: 'Firmware', otherwise: 'No unit is at a place.' },
			['Model', 'Release', 'Units', 'Of them behind'],
			`select model.name as a, coalesce(reported_version, 'not known') as b, count(*)::int as c, count(*) filter (where due.is_behind)::int as d
			from binding join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
			left join unit_due due on due.unit_id = unit.id and due.position_id = binding.position_id
			where ${THEIRS('binding.customer_id')} group by 1, 2 order by 1, 3 desc, 2`,
			scope
		)
	],
	cohorts: async (scope) => [
		await table(
			{ title: 'Cohorts', otherwise: 'There is no cohort.' },
			['Cohort', 'Units at the beginning', 'Units at the end'],
			`select name as a, (select units from cohort_size s where s.cohort_id = cohort.id and day >= :from::date and day < :to order by day limit 1) as b,
				(select units from cohort_size s where s.cohort_id = cohort.id and day >= :from::date and day < :to order by day desc limit 1) as c
			from cohort where ${THEIRS('customer_id')} order by 1`,
			scope
		)
	],
	rollouts: async (scope) => [
		await table(
			{ title: 'Rollouts', otherwise: 'There was no rollout in that time.' },
			['What', 'Begun by', 'Begun (UTC)', 'Units', 'Done', 'Failed', 'State'],
			`select title as a, actor as b, to_char(rollout.begun_at at time zone 'UTC', 'YYYY-MM-DD HH24:MI') as c, count(item.unit_id)::int as d,
				count(*) filter (where item.state = 'done')::int as e, count(*) filter (where item.state = 'failed')::int as f, rollout.state as g
			from rollout left join rollout_item item on item.rollout_id = rollout.id
			where ${THEIRS('rollout.customer_id')} and rollout.begun_at < :to and coalesce(rollout.ended_at, now()) >= :from group by rollout.id order by rollout.begun_at`,
			scope
		)
	]
};
