import type { Knex } from 'knex';
import { stanceOf, type Stated } from '../../../core/stance';
import type { Controlled } from '../../../core/takeon';
import { database, timeNow } from '../database';
import { STATED } from '../stance';

/** Before its address is given up a unit has called home for so long. */
export const OLD_WAY_DAYS = 3;

const CONTROLLED = `
	select binding.unit_id as "unitId", site.name as "siteName", position.name as position, position.id as "positionId",
		position.profile_id as "profileId", ${STATED}, drift.state = 'as intended' as "isAsIntended", coalesce(due.is_behind, false) as "isBehind",
		case when held.way = 'out' then 'address' when held.way is not null then 'home' end as way, reach.unit_id is not null as "hasAddress",
		coalesce(held.way <> 'out' and reach.home_since < now() - make_interval(days => ${OLD_WAY_DAYS}), false) as "isSettled"
	from take_on_unit one join position on position.id = one.position_id join site on site.id = position.site_id
	join binding on binding.position_id = position.id join run on run.id = binding.run_id
	left join unit_drift drift on drift.unit_id = binding.unit_id and drift.position_id = position.id
	left join unit_due due on due.unit_id = binding.unit_id and due.position_id = position.id
	left join unit_connection held on held.unit_id = binding.unit_id and held.ended_at is null
	left join unit_reach reach on reach.unit_id = binding.unit_id
	where one.take_on_id = ? order by site.name, position.name`;

interface Row extends Omit<Controlled, 'stance' | 'site'>, Stated {
	readonly siteName: string;
}

/** The units of a take-on that are in the plan, and how far Limen has them. */
export async function controlOf(id: string, knex: Knex = database()): Promise<readonly Controlled[]> {
	const { rows } = await knex.raw(CONTROLLED, [id]);
	const now = timeNow();
	return (rows as Row[]).map(({ own, site, customer, since, siteName, ...unit }) => ({
		...unit,
		site: siteName,
		stance: stanceOf({ own, site, customer, since }, now).stance
	}));
}
