import type { Knex } from 'knex';
import { database } from '../database';

/** One that somebody decided to leave for now, until its day is over. */
export const IS_LEFT = `(finding.left_until is not null and finding.left_until >= current_date)`;

/** A group, as its columns say it: the same finding at one customer. */
export interface GroupKey {
	readonly same: Buffer;
	readonly customer_id: string;
}
const WANTED = `(select * from unnest(:same::bytea[], :customers::uuid[]) as wanted(same, customer_id))`;

/**
 * Counts groups of findings anew, in the transaction in which some of them changed: once, when all has changed, so that
 * no two transactions wait for each other. Only those that are named are touched: whoever changes one may not change
 * the same finding at another customer.
 */
export async function countGroups(trx: Knex, keys: readonly GroupKey[]): Promise<void> {
	if (keys.length === 0) return;
	const wanted = { same: keys.map(({ same }) => same), customers: keys.map((key) => key.customer_id) };
	await trx.raw(
		`insert into finding_group (same, customer_id) select distinct same, customer_id from finding
		where ended_at is null and (same, customer_id) in ${WANTED} order by same, customer_id on conflict do nothing`,
		wanted
	);
	await trx.raw(
		`select from finding_group where (same, customer_id) in ${WANTED} order by same, customer_id for update`,
		wanted
	);
	// A statement of its own: it sees what those committed who were waited for
	await trx.raw(
		`update finding_group set units = counted.units, sites = counted.sites, left_units = counted.left_units, first_id = counted.first_id,
			since = counted.since, touches = counted.touches, by_whom = counted.by_whom, left_id = counted.left_id, left_until = counted.left_until
		from (
			select g.same, g.customer_id, (count(f.id) filter (where not f.is_left))::int as units, (count(f.id) filter (where f.is_left))::int as left_units,
				(count(distinct f.site_id) filter (where not f.is_left))::int as sites, min(f.since) filter (where not f.is_left) as since,
				(array_agg(f.id order by f.since, f.id) filter (where not f.is_left))[1] as first_id, (array_agg(f.id order by f.since, f.id) filter (where f.is_left))[1] as left_id,
				min(f.touches) as touches, min(f.left_until) filter (where f.is_left) as left_until,
				coalesce(array_agg(distinct f.by_whom) filter (where not f.is_left and f.by_whom <> ''), '{}') as by_whom
			from finding_group g left join lateral (
				select finding.id, finding.since, finding.touches, finding.by_whom, finding.left_until, position.site_id, ${IS_LEFT} as is_left
				from finding join position on position.id = finding.position_id
				where finding.same = g.same and finding.customer_id = g.customer_id and ended_at is null
			) f on true
			where (g.same, g.customer_id) in ${WANTED} group by g.same, g.customer_id
		) counted
		where finding_group.same = counted.same and finding_group.customer_id = counted.customer_id`,
		wanted
	);
	await trx.raw(
		`delete from finding_group where (same, customer_id) in ${WANTED} and units = 0 and left_units = 0`,
		wanted
	);
}

/** What was left counts again once its day is over. Done twice, it does no harm. Runs as BOOTSTRAP. */
export const countWhatWasLeft = (): Promise<void> =>
	database().transaction(async (trx) => {
		const keys: GroupKey[] = await trx('finding_group')
			.where('left_until', '<', trx.raw('current_date'))
			.select('same', 'customer_id');
		await countGroups(trx, keys);
	});

/** All of them, whatever happened: what is deleted with its position is told by nobody. Runs as BOOTSTRAP. */
export const countAllGroups = (): Promise<void> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			'select same, customer_id from finding_group union select same, customer_id from finding where ended_at is null'
		);
		await countGroups(trx, rows as GroupKey[]);
	});
