import { NO_RULES } from '../../../core/config';
import { database } from '../database';
import { callHomeKey, unseal } from '../keys';
import { notifyEach } from '../live';
import { judged } from '../proof';
import { countGroups, type GroupKey } from './groups';
import { renderingSources, renderManyApart, type PositionRendering, type RenderingSource } from '../profile';

/** Why a unit that is online does not run what it would be sent now. */
export type Why = 'revision' | 'values' | 'firmware';

const AT_ONCE = 40;

/** A unit that something has changed for since it was looked at. */
interface Changed {
	readonly unitId: string;
	readonly customerId: string;
	readonly positionId: string;
	readonly inputs: string;
}
/** The same with what it was given last. */
interface Given extends Changed {
	readonly rendering: string;
	readonly givenRevision: string | null;
	readonly version: string;
}

/**
 * All that what is due is made of, in a hash: what nothing has changed for is not rendered again. Whoever renders
 * otherwise (another setting of the installation) has everything looked at once more. One pass over all units: what they
 * were given last, and targets of firmware, are read only as far as they tell that there is something new.
 */
const changed = async (): Promise<Changed[]> => {
	const { rows } = await database().raw(
		`select * from (
			select binding.unit_id as "unitId", binding.customer_id as "customerId", binding.position_id as "positionId", due.inputs as before,
				md5(concat_ws('|', customer.name, customer.values, site.name, site.time_zone, site.uplink, site.provider, site.circuit, site.sim, site.apn,
					site.values, position.name, position.values, position.own_text, profile.released_revision_id, unit.model_id, unit.reported_version, model.xmin, grammar.xmin,
					binding.override_reason, given.at, ?::text,
					case when aims.customer_id is not null then targets_at(position.customer_id, position.site_id, position.id)::text end, (
						select string_agg(concat_ws('|', t.xmin, near.xmin, far.xmin, near_site.values, far_site.values), ',' order by t.id) from tunnel t
						join position near on near.id = t.near_position join site near_site on near_site.id = near.site_id
						join position far on far.id = t.far_position join site far_site on far_site.id = far.site_id
						where position.id in (t.near_position, t.far_position)))) as inputs
			from binding join run on run.id = binding.run_id and run.outcome = 'through'
			join unit on unit.id = binding.unit_id join model on model.id = unit.model_id left join grammar on grammar.id = model.grammar_id
			join position on position.id = binding.position_id join profile on profile.id = position.profile_id
			join site on site.id = position.site_id join customer on customer.id = position.customer_id
			join lateral (
				select max(at) as at from (
					select begun_at as at from run r where r.unit_id = binding.unit_id and r.position_id = binding.position_id and rendering is not null
					union all select committed_at from send where send.position_id = binding.position_id and send.unit_id = binding.unit_id and state = 'confirmed' and kind = 'due'
					union all select at from intention where intention.position_id = binding.position_id and intention.unit_id = binding.unit_id
					union all select ended_at from flash where flash.unit_id = binding.unit_id and flash.position_id = binding.position_id and state = 'done'
				) all_given
			) given on given.at is not null
			left join (select distinct customer_id from firmware_target) aims on aims.customer_id = position.customer_id
			left join unit_due due on due.unit_id = binding.unit_id and due.position_id = binding.position_id
		) one where inputs is distinct from before order by "unitId"`,
		[callHomeKey().fingerprint]
	);
	return rows;
};

const withGiven = async (units: readonly Changed[]): Promise<Given[]> => {
	const { rows } = await database().raw(
		`select wanted.*, given.rendering, given.revision_id as "givenRevision", coalesce(unit.reported_version, '') as version
		from jsonb_to_recordset(?::jsonb) as wanted("unitId" uuid, "customerId" uuid, "positionId" uuid, inputs text) join unit on unit.id = wanted."unitId"
		join lateral (
			select rendering, revision_id from served where served.position_id = wanted."positionId" and served.unit_id = unit.id order by turn desc limit 1
		) given on true`,
		[JSON.stringify(units)]
	);
	return rows;
};

export const LOOK_DUE = 'look who is behind';

/** Looks which units are behind, of those for which anything has changed. Done twice, it does no harm. Runs as BOOTSTRAP. */
export async function lookWhoIsBehind(): Promise<void> {
	const all = await changed();
	for (let from = 0; from < all.length; from += AT_ONCE)
		await lookAtThese(await withGiven(all.slice(from, from + AT_ONCE)));
	await forgetWhoLeft();
}

const IS_AWAY = (table: string) =>
	`not exists (select from binding where binding.unit_id = ${table}.unit_id and binding.position_id = ${table}.position_id)`;
/** A unit that is no longer at its place neither drifts there nor is behind. */
async function forgetWhoLeft(): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`update finding set ended_at = now(), ended = 'gone' where ended_at is null and ${IS_AWAY('finding')} returning same, customer_id`
		);
		await countGroups(trx, rows as GroupKey[]);
	});
	await database().raw(`delete from unit_drift where ${IS_AWAY('unit_drift')}`);
	await database().raw(
		`delete from unit_due where not exists (
			select from binding join run on run.id = binding.run_id and run.outcome = 'through'
			where binding.unit_id = unit_due.unit_id and binding.position_id = unit_due.position_id)`
	);
}

async function lookAtThese(units: readonly Given[]): Promise<void> {
	const sources = await renderingSources(
		database(),
		units.map(({ positionId }) => positionId)
	);
	const known = units.flatMap((unit) => {
		const source = sources.get(unit.positionId);
		return source?.model ? [{ unit, source }] : [];
	});
	const rendered = await renderManyApart(known.map(({ source }) => source));
	const rows = await Promise.all(
		known.map(async ({ unit, source }, index) => rowOf(unit, source, rendered[index]!))
	);
	await database().transaction(async (trx) => {
		await trx.raw(
			`insert into unit_due (unit_id, customer_id, position_id, inputs, is_behind, why, given_revision, target_version, problem)
			select unit, customer, position, inputs, why <> '[]', array(select jsonb_array_elements_text(why)), revision, target, problem
			from jsonb_to_recordset(?::jsonb) as r(unit uuid, customer uuid, position uuid, inputs text, why jsonb, revision uuid, target text, problem text)
			on conflict (unit_id) do update set customer_id = excluded.customer_id, position_id = excluded.position_id, inputs = excluded.inputs,
				since = case when unit_due.is_behind = excluded.is_behind then unit_due.since else now() end, looked_at = now(),
				is_behind = excluded.is_behind, why = excluded.why, given_revision = excluded.given_revision,
				target_version = excluded.target_version, problem = excluded.problem`,
			[JSON.stringify(rows)]
		);
		await notifyEach(
			trx,
			'drift',
			units.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
		);
	});
}

async function rowOf(unit: Given, source: RenderingSource, rendering: PositionRendering) {
	const why: Why[] = [];
	if (rendering.ok && !(await isSame(unit, source, rendering.text)))
		why.push(unit.givenRevision === (source.revision?.id ?? null) ? 'values' : 'revision');
	if (source.targetVersion !== null && unit.version !== '' && source.targetVersion !== unit.version)
		why.push('firmware');
	return {
		unit: unit.unitId,
		customer: unit.customerId,
		position: unit.positionId,
		inputs: unit.inputs,
		why,
		revision: unit.givenRevision,
		target: source.targetVersion,
		problem: rendering.ok
			? null
			: rendering.problems
					.map(({ message }) => message)
					.join(' ')
					.slice(0, 2_000)
	};
}

async function isSame(unit: Given, { model }: RenderingSource, due: string): Promise<boolean> {
	const given = unseal(unit.rendering);
	if (given === due) return true;
	const { dialect, rules } = model!;
	const two = { dialect, rules: { ...NO_RULES, ...rules }, intended: given, running: due };
	return (await judged({ ...two, targetVersion: null, runningVersion: '' })).holds;
}

/** A profile of which units are behind: how many run the revision that is released, and how many do not. */
export interface BehindProfile {
	readonly profileId: string;
	readonly profile: string;
	readonly revision: number | null;
	readonly current: number;
	readonly behind: number;
	readonly byRevision: number;
	readonly byValues: number;
	readonly byFirmware: number;
}

/** By profile, those with most units behind first. `customers`: whose; null for all. */
export async function behindByProfile(
	customers: readonly string[] | null,
	profileId: string | null = null
): Promise<BehindProfile[]> {
	const { rows } = await database().raw(
		`select profile.id as "profileId", profile.name as profile, revision.number as revision,
			count(*) filter (where not is_behind)::int as current, count(*) filter (where is_behind)::int as behind,
			count(*) filter (where 'revision' = any (why))::int as "byRevision", count(*) filter (where 'values' = any (why))::int as "byValues",
			count(*) filter (where 'firmware' = any (why))::int as "byFirmware"
		from unit_due join position on position.id = unit_due.position_id join profile on profile.id = position.profile_id
		left join profile_revision revision on revision.id = profile.released_revision_id
		where (:customers::uuid[] is null or unit_due.customer_id = any (:customers::uuid[])) and (:profile::uuid is null or profile.id = :profile::uuid)
		group by profile.id, revision.number order by behind desc, profile.name`,
		{ customers: customers && [...customers], profile: profileId }
	);
	return rows;
}

/** A unit that is behind. */
export interface BehindUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly positionName: string;
	readonly profile: string;
	readonly why: readonly Why[];
	readonly runs: number | null;
	readonly released: number | null;
	readonly version: string | null;
	readonly target: string | null;
	readonly since: Date;
	readonly isConnected: boolean;
}
export const MOST_BEHIND = 200;
export async function behindUnits(
	customers: readonly string[] | null,
	{ profileId = null, why = null }: { profileId?: string | null; why?: Why | null } = {}
): Promise<BehindUnit[]> {
	const { rows } = await database().raw(
		`select unit.id as "unitId", serial, site.id as "siteId", site.name as "siteName", position.name as "positionName", profile.name as profile,
			why, given.number as runs, released.number as released, unit.reported_version as version, target_version as target, unit_due.since,
			exists (select from unit_connection c where c.unit_id = unit.id and c.ended_at is null) as "isConnected"
		from unit_due join unit on unit.id = unit_due.unit_id join position on position.id = unit_due.position_id
		join site on site.id = position.site_id join profile on profile.id = position.profile_id
		left join profile_revision given on given.id = unit_due.given_revision and given.profile_id = profile.id
		left join profile_revision released on released.id = profile.released_revision_id
		where is_behind and (:customers::uuid[] is null or unit_due.customer_id = any (:customers::uuid[]))
			and (:profile::uuid is null or profile.id = :profile::uuid) and (:why::text is null or :why::text = any (why))
		order by unit_due.since desc, site.name, position.name limit ${MOST_BEHIND}`,
		{ customers: customers && [...customers], profile: profileId, why }
	);
	return rows;
}

/** How many units are behind. */
export async function countBehind(customers: readonly string[] | null): Promise<number> {
	const { rows } = await database().raw(
		'select count(*)::int as count from unit_due where is_behind and (:customers::uuid[] is null or customer_id = any (:customers::uuid[]))',
		{ customers: customers && [...customers] }
	);
	return rows[0].count;
}
