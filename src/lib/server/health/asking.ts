import { v7 as uuid } from 'uuid';
import { ERRAND_KINDS } from '../../../core/errand';
import { SLOT_MS } from '../../../core/health';
import { database, timeNow } from '../database';
import { notifyEach } from '../live';

/** The minutes of a stretch: units are asked in turn, each in the same minute of every stretch. */
const TURNS = SLOT_MS / 60_000;

/**
 * Asks each connected unit that came through how it does, whose turn this minute is. One that is still wanted to answer
 * from before is not asked twice. Runs as BOOTSTRAP.
 */
export async function askHowTheyDo(now = new Date(timeNow())): Promise<void> {
	const turn = Math.floor(now.getTime() / 60_000) % TURNS;
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select binding.unit_id as id, binding.customer_id as "customerId"
			from binding join run on run.id = binding.run_id and run.outcome = 'through'
			join unit_connection held on held.unit_id = binding.unit_id and held.ended_at is null
			where abs(hashtext(binding.unit_id::text)) % :turns = :turn and not exists (
				select from errand e where e.unit_id = binding.unit_id and e.kind = 'health' and e.state in ('waiting', 'under way')
			)`,
			{ turns: TURNS, turn }
		);
		const units = rows as { id: string; customerId: string }[];
		if (units.length === 0) return;
		const { priority, waits } = ERRAND_KINDS.health;
		await trx.raw(
			`insert into errand (id, unit_id, customer_id, kind, priority, why, deadline)
			select w.id, w.unit, w.customer, 'health', :priority, 'due', now() + make_interval(secs => :waits)
			from jsonb_to_recordset(:wanted::jsonb) as w(id uuid, unit uuid, customer uuid)`,
			{
				priority,
				waits: waits / 1000,
				wanted: JSON.stringify(
					units.map(({ id, customerId }) => ({ id: uuid(), unit: id, customer: customerId }))
				)
			}
		);
		await notifyEach(trx, 'errand-asked', units);
	});
}
