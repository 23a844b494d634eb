import type { Knex } from 'knex';
import {
	answeringAddress,
	limitsAt,
	type GivenLimits,
	type OtherSite,
	type ProofPlan,
	type ProvenPosition
} from '../../../core/proof';
import { OWN_FIELD } from '../../../core/plan';
import { resolveValues, type ReadyCheck, type Values } from '../../../core/profile';
import { unseal } from '../keys';
import { cablingOf, type Cabling } from '../plan';
import { renderingSources, type RenderingSource } from '../profile';

/** Fields that hold names which a unit has to resolve. */
const NAMED_FIELDS = ['time_server', 'log_server'] as const;
const namesIn = (values: Values): readonly string[] =>
	NAMED_FIELDS.flatMap((name) => (typeof values[name] === 'string' ? [values[name]] : []));
const networksIn = (values: Values): readonly string[] =>
	[values[OWN_FIELD] ?? []]
		.flat()
		.flatMap((one) => String(one).split(/[\s,]+/))
		.filter(Boolean);

interface BoundRow {
	readonly id: string;
	readonly unitId: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly targetVersion: string | null;
	readonly checks: string | null;
	readonly profileLimits: GivenLimits | null;
	readonly patternLimits: GivenLimits | null;
}

/** What the plan expects of a site, and the unit of each position that has one. */
export interface SitePlan {
	readonly plan: ProofPlan;
	readonly units: ReadonlyMap<string, string>;
	/** What is wrong with the planned cables. */
	readonly cabling: Cabling['problems'];
	/** The positions that answer for other sites. */
	readonly others: readonly string[];
}

export const proofPlan = async (trx: Knex, siteId: string): Promise<SitePlan> =>
	(await proofPlans(trx, [siteId])).get(siteId)!;

/** The same of many sites; `sources`: of their positions, where they have been read already. */
export async function proofPlans(
	trx: Knex,
	siteIds: readonly string[],
	sources?: ReadonlyMap<string, RenderingSource>
): Promise<ReadonlyMap<string, SitePlan>> {
	const cablings = await cablingOf(siteIds, trx);
	const ids = [...cablings.values()].flatMap(({ positions }) => positions.map(({ id }) => id));
	const known = sources ?? (await renderingSources(trx, ids));
	const { rows } = await trx.raw(
		`select binding.position_id as id, unit.id as "unitId", serial, mac, given.target_version as "targetVersion", given.checks,
			profile.proof_limits as "profileLimits", pattern.proof_limits as "patternLimits"
		from binding join unit on unit.id = binding.unit_id join position on position.id = binding.position_id
		join profile on profile.id = position.profile_id join site on site.id = position.site_id
		left join site_pattern pattern on pattern.id = site.pattern_id
		left join lateral (
			select s.target_version, s.checks from served s
			where s.position_id = binding.position_id and s.unit_id = binding.unit_id order by s.turn desc limit 1
		) given on true
		where binding.position_id = any (?::uuid[])`,
		[ids]
	);
	const bound = new Map((rows as BoundRow[]).map((row) => [row.id, row]));
	const others = await othersThan(trx, siteIds);
	return new Map(
		[...cablings].map(([id, cabling]) => [id, planOf(cabling, known, bound, others.get(id) ?? [])])
	);
}

function planOf(
	cabling: Cabling,
	sources: ReadonlyMap<string, RenderingSource>,
	bound: ReadonlyMap<string, BoundRow>,
	others: readonly Other[]
): SitePlan {
	const positions = cabling.positions.map((position): ProvenPosition => {
		const { tunnels, scoped } = sources.get(position.id)!;
		const values = resolveValues(scoped);
		const own = bound.get(position.id);
		const isRouting = position.roleId === 'router' || position.roleId === 'gateway';
		return {
			id: position.id,
			name: position.name,
			roleId: position.roleId,
			ports: position.portNames,
			unit: own ? { serial: own.serial, mac: own.mac } : null,
			targetVersion: own?.targetVersion ?? null,
			tunnels,
			networks: isRouting ? networksIn(values) : [],
			names: namesIn(values),
			checks: own?.checks ? (JSON.parse(unseal(own.checks)) as ReadyCheck[]) : [],
			limits: limitsAt(own?.profileLimits ?? null, own?.patternLimits ?? null)
		};
	});
	const units = cabling.positions.flatMap(({ id }): [string, string][] => {
		const own = bound.get(id);
		return own ? [[id, own.unitId]] : [];
	});
	return {
		plan: { positions, cables: cabling.cables, others },
		units: new Map(units),
		cabling: cabling.problems,
		others: others.map(({ positionId }) => positionId)
	};
}

interface Other extends OtherSite {
	readonly positionId: string;
}
/** A site that shares a hub with this one, is online and holds itself, so that its faults are not told of this one: the next by name, for them to take turns. */
async function othersThan(
	trx: Knex,
	siteIds: readonly string[]
): Promise<ReadonlyMap<string, readonly Other[]>> {
	const { rows } = await trx.raw(
		`with own as (
			select site.id, tunnel.far_position, site.name from tunnel join position on position.id = tunnel.near_position join site on site.id = position.site_id
			where site.id = any (:sites::uuid[])
		)
		select distinct on (own.id) own.id as "siteId", site.name, position.id as "positionId", coalesce(position.values->>:field, site.values->>:field) as networks
		from own join tunnel on tunnel.far_position = own.far_position
		join position on position.id = tunnel.near_position join site on site.id = position.site_id
		cross join lateral (select standing from position_standing s where s.position_id = position.id offset 0) stands
		where stands.standing = 'online' and site.id <> own.id and site.proof_state = 'held' order by own.id, site.name <= own.name, site.name`,
		{ sites: [...siteIds], field: OWN_FIELD }
	);
	return new Map(
		(rows as { siteId: string; name: string; positionId: string; networks: string | null }[]).flatMap(
			({ siteId, name, positionId, networks }): [string, Other[]][] => {
				const answers = answeringAddress(networksIn({ [OWN_FIELD]: networks ?? '' })[0]);
				return answers === null ? [] : [[siteId, [{ name, answers, positionId }]]];
			}
		)
	);
}
