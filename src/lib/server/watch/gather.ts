import type { Knex } from 'knex';
import { overlap, parsePrefix, printPrefix } from '../../../core/address';
import { OWN_FIELD } from '../../../core/plan';
import type { Value } from '../../../core/profile';
import type { Doubled } from '../../../core/watch';
import { unseal } from '../keys';
import { renderingSources, type RenderingSource, type SourceChoice } from '../profile';
import { proofPlans } from '../proof';
import { TIMED_STEPS, type Knowledge } from './knowledge';
import type { SiteSource, ToRehearse, TwinSource } from './twins';

interface PositionRow {
	readonly id: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly unit: TwinSource['unit'];
	readonly version: string | null;
	readonly modelId: string | null;
	/** Sealed. */
	readonly given: string | null;
}

/** Positions, what stands there, and what those that are online were given last. */
async function positionRows(
	knex: Knex,
	where: 'site' | 'position',
	ids: readonly string[]
): Promise<readonly PositionRow[]> {
	const { rows } = await knex.raw(
		`select position.id, site.id as "siteId", site.name as "siteName", unit.model_id as "modelId", coalesce(reported_version, delivered_version) as version,
			case when unit.id is not null then jsonb_build_object('id', unit.id, 'serial', unit.serial) end as unit,
			case when stands.standing = 'online' then (
				select rendering from served where served.position_id = position.id and served.unit_id = unit.id order by turn desc limit 1
			) end as given
		from position join site on site.id = position.site_id join position_standing stands on stands.position_id = position.id
		left join binding on binding.position_id = position.id left join unit on unit.id = binding.unit_id
		where stands.${where}_id = any (?::uuid[]) order by site.name, position.name`,
		[[...ids]]
	);
	return rows;
}

/** Reads all that the rehearsals of some sites are computed from. Asks no right of its own: the walls say what is seen. */
export async function gatherSites(
	knex: Knex,
	siteIds: readonly string[],
	knowledge: Knowledge,
	choice: SourceChoice = {}
): Promise<ToRehearse> {
	const rows = await positionRows(knex, 'site', siteIds);
	const sources = await renderingSources(
		knex,
		rows.map(({ id }) => id),
		choice
	);
	const plans = await proofPlans(knex, siteIds, sources);
	const ids = rows.map(({ id }) => id);
	const ends = await farEnds(knex, ids);
	const isOwn = new Set(ids);
	const twice = await networksTwice(knex, ids);
	const further = [
		...[...plans.values()].flatMap(({ others }) => others),
		...twice.map(({ positionId }) => positionId)
	];
	const farRows = await positionRows(knex, 'position', [
		...new Set([...[...ends.values()].flat(), ...further])
	]);
	const farSources = await renderingSources(
		knex,
		farRows.flatMap(({ id }) => (isOwn.has(id) ? [] : [id]))
	);
	const far = new Map(
		farRows.flatMap(({ id, given }): [string, Pick<TwinSource, 'source' | 'runs'>][] => {
			const source = farSources.get(id) ?? sources.get(id);
			return source ? [[id, { source, runs: given === null ? null : unseal(given) }]] : [];
		})
	);
	const sites = [...plans].map(([id, { plan, cabling, others }]): SiteSource => {
		const own = rows.filter(({ siteId }) => siteId === id);
		const here = new Set(own.map((row) => row.id));
		const doubled = twice.filter(({ of }) => here.has(of));
		const reached = [
			...own.flatMap((row) => ends.get(row.id) ?? []),
			...others,
			...doubled.map(({ positionId }) => positionId)
		];
		return {
			id,
			name: own[0]?.siteName ?? '',
			positions: own.map((row) => twinSource(row, sources.get(row.id)!, knowledge)),
			plan,
			cabling,
			doubled,
			far: [...new Set(reached)].filter((one) => !here.has(one))
		};
	});
	return { sites, far };
}

function twinSource(row: PositionRow, source: RenderingSource, knowledge: Knowledge): TwinSource {
	const { unit, version, given } = row;
	const target = source.targetVersion ?? '';
	const alike = {
		modelId: row.modelId ?? source.model?.id ?? '',
		uplink: source.uplink.kind,
		version: version ?? '',
		target
	};
	return {
		source,
		unit,
		version,
		runs: given === null ? null : unseal(given),
		known: Object.fromEntries(
			TIMED_STEPS.map((step) => [step, knowledge.of(step, alike)])
		) as TwinSource['known']
	};
}

/** The positions at the other ends of tunnels, by their near ones. */
async function farEnds(
	knex: Knex,
	positionIds: readonly string[]
): Promise<ReadonlyMap<string, readonly string[]>> {
	const { rows } = await knex.raw(
		`select near_position as near, far_position as far from tunnel where near_position = any (:ids::uuid[])
		union select far_position, near_position from tunnel where far_position = any (:ids::uuid[])`,
		{ ids: [...positionIds] }
	);
	const found = new Map<string, string[]>();
	for (const { near, far } of rows as { near: string; far: string }[])
		found.set(near, [...(found.get(near) ?? []), far]);
	return found;
}

interface Twice extends Doubled {
	/** The position whose network it is, and that of the other site. */
	readonly of: string;
	readonly positionId: string;
}

/** Networks of these positions that other sites behind the same hubs have as well. */
async function networksTwice(knex: Knex, positionIds: readonly string[]): Promise<readonly Twice[]> {
	const { rows } = await knex.raw(
		`with reached as (
			select tunnel.near_position as id, tunnel.far_position as hub, site.id as "siteId", site.name as "siteName",
				coalesce(position.values -> :field, site.values -> :field) as networks
			from tunnel join position on position.id = tunnel.near_position join site on site.id = position.site_id
			where tunnel.far_position in (select far_position from tunnel where near_position = any (:ids::uuid[]))
		)
		select own.id as of, other.id as "positionId", other."siteId", other."siteName", own.networks as mine, other.networks as theirs
		from reached own join reached other on other.hub = own.hub and other."siteId" <> own."siteId"
		where own.id = any (:ids::uuid[]) and own.networks is not null and other.networks is not null`,
		{ field: OWN_FIELD, ids: [...positionIds] }
	);
	return (rows as (Omit<Twice, 'prefix'> & { mine: Value; theirs: Value })[]).flatMap(
		({ mine, theirs, ...one }) => {
			const prefix = prefixesIn(mine).find((own) => prefixesIn(theirs).some((other) => overlap(own, other)));
			return prefix ? [{ ...one, prefix: printPrefix(prefix) }] : [];
		}
	);
}
const prefixesIn = (value: Value) => [value].flat().flatMap((one) => parsePrefix(String(one)) ?? []);
