import { group } from 'd3';
import { besidePlan, type PlannedSite, type SiteBeside } from '../../../core/survey';
import { database } from '../database';
import { cablingOf } from '../plan';
import { sightingsOf } from './store';

/** So many sites are held against a survey. */
const MOST_SITES = 300;

/**
 * The planned sites of which a run found a unit, beside what it found there: those with something amiss, and how many units of
 * how many sites were found of those that are planned.
 */
export async function besideThePlan(runId: string): Promise<{
	readonly amiss: readonly SiteBeside[];
	readonly sites: number;
	readonly planned: number;
	readonly found: number;
}> {
	const { rows } = await database().raw(
		`with seen as (
			select distinct position.site_id from survey_address a
			join unit on unit.maker_id = a.maker_id and unit.serial = a.serial and unit.customer_id = a.customer_id
			join binding on binding.unit_id = unit.id join position on position.id = binding.position_id
			where a.run_id = ? limit ${MOST_SITES}
		)
		select site.id as "siteId", site.name, position.id as "positionId", unit.maker_id as maker, unit.serial, unit.mac::text as mac
		from seen join site on site.id = seen.site_id join position on position.site_id = site.id
		left join binding on binding.position_id = position.id left join unit on unit.id = binding.unit_id
		order by site.name`,
		[runId]
	);
	const bySite = group(rows as Row[], ({ siteId }) => siteId);
	const [cablings, sightings] = await Promise.all([cablingOf([...bySite.keys()]), sightingsOf(runId)]);
	const sites = [...bySite].map(([id, positions]): PlannedSite => {
		const unitAt = new Map(positions.map((row) => [row.positionId, row]));
		const cabling = cablings.get(id)!;
		return {
			id,
			name: positions[0]!.name,
			cables: cabling.cables,
			positions: cabling.positions.map(({ id: positionId, name, portNames }) => {
				const row = unitAt.get(positionId);
				return {
					id: positionId,
					name,
					ports: portNames,
					unit: row?.serial ? { maker: row.maker!, serial: row.serial, mac: row.mac } : null
				};
			})
		};
	});
	const beside = besidePlan(sites, sightings);
	return {
		amiss: beside.filter(
			({ missing, misplaced, extra }) => missing.length + misplaced.length + extra.length > 0
		),
		sites: beside.length,
		planned: beside.reduce((sum, site) => sum + site.planned, 0),
		found: beside.reduce((sum, site) => sum + site.found, 0)
	};
}

interface Row {
	readonly siteId: string;
	readonly name: string;
	readonly positionId: string;
	readonly maker: string | null;
	readonly serial: string | null;
	readonly mac: string | null;
}
