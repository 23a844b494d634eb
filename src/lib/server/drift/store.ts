import type { Finding, Touches } from '../../../core/drift';
import { database } from '../database';
import { IS_LEFT } from './groups';

/** A finding as people see it. */
export interface ShownFinding extends Omit<Finding, 'key' | 'same'> {
	readonly id: string;
	readonly unitId: string;
	readonly dialect: string;
	readonly since: Date;
	readonly foundAt: Date;
	readonly byWhom: string;
	/** In days of the site; null when it is not left. */
	readonly leftUntil: string | null;
	readonly leftReason: string | null;
	readonly leftBy: string | null;
	/** At so many other units too. */
	readonly elsewhere: number;
}

/** The same finding at one unit or many. */
export interface FindingGroup extends Pick<
	ShownFinding,
	'kind' | 'path' | 'should' | 'runs' | 'after' | 'touches' | 'dialect'
> {
	/** A finding of it, which names the group. */
	readonly id: string;
	readonly units: number;
	readonly sites: number;
	readonly customers: number;
	readonly since: Date;
	readonly byWhom: readonly string[];
	/** Where only one unit has it. */
	readonly where: string | null;
	readonly unitId: string | null;
}

export const GROUPS_AT_ONCE = 100;

/** Findings by what is the same, the gravest first, then those at most units; what is left for now is not among them unless wanted. */
export async function findingGroups(
	customers: readonly string[] | null,
	{
		touches = null,
		left = false,
		offset = 0,
		limit = GROUPS_AT_ONCE
	}: { touches?: Touches | null; left?: boolean; offset?: number; limit?: number } = {}
): Promise<FindingGroup[]> {
	const { rows } = await database().raw(
		`with grouped as (
			select same, (array_agg(case when :left then left_id else first_id end order by since))[1] as id,
				sum(case when :left then left_units else units end)::int as units, sum(sites)::int as sites, count(*)::int as customers,
				min(since) as since, jsonb_agg(to_jsonb(by_whom)) as "byWhom", min(case when touches in ('uplink', 'security') then 0 else 1 end) as gravity
			from finding_group where (case when :left then left_units else units end) > 0
				and (:customers::uuid[] is null or customer_id = any (:customers::uuid[])) and (:touches::text is null or touches = :touches::text)
			group by same order by gravity, units desc, since desc, same limit :limit offset :offset
		)
		select grouped.id, grouped.units, coalesce(grouped.since, finding.since) as since, grouped.customers, grouped.sites, kind, path, should, runs, after, finding.touches, dialect,
			array(select distinct who from jsonb_array_elements("byWhom") theirs, jsonb_array_elements_text(theirs) who) as "byWhom",
			case when grouped.units = 1 then site.name || ', ' || position.name end as "where", case when grouped.units = 1 then finding.unit_id end as "unitId"
		from grouped join finding on finding.id = grouped.id join position on position.id = finding.position_id join site on site.id = position.site_id
		order by gravity, grouped.units desc, grouped.since desc, grouped.same`,
		{ left, customers: customers && [...customers], touches, offset, limit }
	);
	return rows;
}

/** How much drifted: by what it touches, with how many units differ and how many were looked at. */
export interface DriftCounts {
	readonly looked: number;
	readonly asIntended: number;
	readonly differs: number;
	readonly unreadable: number;
	readonly left: number;
	readonly touches: Readonly<Partial<Record<Touches, number>>>;
}
export async function driftCounts(customers: readonly string[] | null): Promise<DriftCounts> {
	const { rows } = await database().raw(
		`select count(*)::int as looked, count(*) filter (where state = 'as intended')::int as "asIntended",
			count(*) filter (where state = 'differs')::int as differs, count(*) filter (where state = 'unreadable')::int as unreadable,
			(select count(distinct same)::int from finding_group where left_units > 0 and (:customers::uuid[] is null or customer_id = any (:customers::uuid[]))) as left,
			(select coalesce(json_object_agg(touches, count), '{}') from (
				select touches, count(distinct same)::int as count from finding_group
				where units > 0 and (:customers::uuid[] is null or customer_id = any (:customers::uuid[])) group by 1) t) as touches
		from unit_drift where :customers::uuid[] is null or customer_id = any (:customers::uuid[])`,
		{ customers: customers && [...customers] }
	);
	return rows[0];
}

/** How a unit stood when it was looked at last. */
export interface Drift {
	readonly state: 'as intended' | 'differs' | 'unreadable';
	readonly since: Date;
	readonly lookedAt: Date;
	readonly findings: number;
	readonly words: string;
}
export const driftOf = (unitId: string): Promise<Drift | undefined> =>
	database()('unit_drift')
		.join('drift_look', 'drift_look.id', 'look_id')
		.where('unit_drift.unit_id', unitId)
		.first('unit_drift.state', 'since', 'looked_at as lookedAt', 'findings', 'words');

/** What differs at one unit, the gravest first. */
export async function findingsOf(unitId: string): Promise<ShownFinding[]> {
	const { rows } = await database().raw(
		`select id, unit_id as "unitId", kind, path, should, runs, after, touches, dialect, by_whom as "byWhom", since, found_at as "foundAt",
			to_char(left_until, 'YYYY-MM-DD') as "leftUntil", left_reason as "leftReason", left_by as "leftBy",
			(select count(*)::int from finding other where other.same = finding.same and other.ended_at is null and other.unit_id <> finding.unit_id) as elsewhere
		from finding where unit_id = ? and ended_at is null
		order by ${IS_LEFT}, array_position(array['uplink', 'security', 'management', 'access'], touches) nulls last, path, id`,
		[unitId]
	);
	return rows;
}

/** The units that have the same finding. */
export interface UnitOfGroup {
	readonly findingId: string;
	readonly unitId: string;
	readonly serial: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly positionName: string;
	readonly since: Date;
	readonly byWhom: string;
	readonly isConnected: boolean;
	readonly leftUntil: string | null;
}
export async function unitsOfGroup(findingId: string, limit = 2_000): Promise<UnitOfGroup[]> {
	const { rows } = await database().raw(
		`select finding.id as "findingId", unit.id as "unitId", serial, finding.customer_id as "customerId", site.id as "siteId", site.name as "siteName",
			position.name as "positionName", finding.since, finding.by_whom as "byWhom", to_char(finding.left_until, 'YYYY-MM-DD') as "leftUntil",
			exists (select from unit_connection c where c.unit_id = unit.id and c.ended_at is null) as "isConnected"
		from finding named join finding on finding.same = named.same and finding.ended_at is null
		join unit on unit.id = finding.unit_id join position on position.id = finding.position_id join site on site.id = position.site_id
		where named.id = ? order by site.name, position.name limit ?`,
		[findingId, limit]
	);
	return rows;
}

export const findingById = async (
	id: string
): Promise<(ShownFinding & { readonly customerId: string; readonly endedAt: Date | null }) | undefined> => {
	const { rows } = await database().raw(
		`select id, unit_id as "unitId", customer_id as "customerId", kind, path, should, runs, after, touches, dialect, by_whom as "byWhom", since, found_at as "foundAt",
			ended_at as "endedAt", to_char(left_until, 'YYYY-MM-DD') as "leftUntil", left_reason as "leftReason", left_by as "leftBy", 0 as elsewhere
		from finding where id = ?`,
		[id]
	);
	return rows[0];
};
