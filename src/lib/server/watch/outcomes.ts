import type { Ends, Outcome } from '../../../core/watch';
import { database } from '../database';
import { outlook } from './ahead';

/** What became of a batch's units, what needs a person first; whoever sees the batch may know. */
export async function outcomesOfBatch(batchId: string): Promise<Outcome[]> {
	const { rows } = await database().raw(
		`select coalesce(stands.standing, 'free') as standing, case when standing in ('stuck', 'stalled') then stands.step end as step, count(*)::int as count
		from unit left join position_standing stands on stands.unit_id = unit.id
		where unit.batch_id = ? and unit.out_of_service_at is null group by 1, 2
		order by array_position(array['stuck', 'stalled', 'not-heard', 'late', 'moving', 'waiting', 'free', 'online'], coalesce(stands.standing, 'free')), 2`,
		[batchId]
	);
	return rows;
}

/** When those of a batch that are on their way are expected to be through; null while none is. */
export async function endOfBatch(batchId: string): Promise<Ends | null> {
	const { rows } = await database().raw(
		`select run.id, stands.site_id as "siteId" from unit join position_standing stands on stands.unit_id = unit.id
		join run on run.id = stands.run_id where unit.batch_id = ? and run.outcome = 'open' and stands.standing in ('moving', 'late', 'waiting')`,
		[batchId]
	);
	const here = rows as { id: string; siteId: string }[];
	const { runs } = await outlook([...new Set(here.map(({ siteId }) => siteId))]);
	const ends = here.flatMap(({ id }) => runs.get(id) ?? []);
	if (ends.length === 0) return null;
	const last = (of: (one: Ends) => number) => Math.max(...ends.map(of));
	return {
		soonest: last((one) => one.soonest),
		median: last((one) => one.median),
		latest: last((one) => one.latest)
	};
}
