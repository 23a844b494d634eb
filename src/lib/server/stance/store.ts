import type { Knex } from 'knex';
import { stanceOf, type Stance, type Stated } from '../../../core/stance';
import { database, timeNow } from '../database';

/** Whose stance it is: a customer's, or that of one of its sites or units. */
export interface StanceOwner {
	readonly customerId: string;
	readonly siteId: string | null;
	readonly unitId: string | null;
}

/** What is stated for a unit and around it, as columns of a query over `binding` with its `run` and `position`. */
export const STATED = `(select stance from stance where stance.unit_id = binding.unit_id) as own,
	(select stance from stance where stance.site_id = position.site_id) as site,
	(select stance from stance where stance.customer_id = binding.customer_id and stance.site_id is null and stance.unit_id is null) as customer,
	(extract(epoch from coalesce(run.ended_at, run.begun_at)) * 1000)::float8 as since`;

/** How a unit is looked after; null for one that did not come online where it is. */
export async function stanceOfUnit(unitId: string): Promise<ReturnType<typeof stanceOf> | null> {
	const { rows } = await database().raw(
		`select ${STATED} from binding join run on run.id = binding.run_id and run.outcome = 'through'
		join position on position.id = binding.position_id where binding.unit_id = ?`,
		[unitId]
	);
	const [stated] = rows as Stated[];
	return stated ? stanceOf(stated, timeNow()) : null;
}

/** What is stated for a customer, site or unit itself, and what it has without that. */
export async function statedFor({
	customerId,
	siteId,
	unitId
}: StanceOwner): Promise<{ readonly own: Stance | null; readonly further: Stance }> {
	const rows: { stance: Stance; site_id: string | null; unit_id: string | null }[] = await database()(
		'stance'
	)
		.where({ customer_id: customerId })
		.where((query) => query.whereNull('site_id').orWhere('site_id', siteId ?? customerId))
		.where((query) => query.whereNull('unit_id').orWhere('unit_id', unitId ?? customerId))
		.select('stance', 'site_id', 'unit_id');
	const of = (site: string | null, unit: string | null) =>
		rows.find((row) => row.site_id === site && row.unit_id === unit)?.stance ?? null;
	const own = of(unitId ? null : siteId, unitId);
	const further = (unitId && siteId ? of(siteId, null) : null) ?? (unitId || siteId ? of(null, null) : null);
	return { own, further: further ?? 'watch' };
}

/** How many were put back of themselves in the last hour. */
export async function putBackLately(trx: Knex, customerId: string, by: string): Promise<number> {
	const { rows } = await trx.raw(
		`select count(*)::int as count from send where customer_id = ? and asked_by = ? and asked_at > now() - interval '1 hour'`,
		[customerId, by]
	);
	return rows[0].count;
}
