import { askErrand } from '../connections';
import { BOOTSTRAP, database, grouped } from '../database';
import { USUAL_RULE } from './rules';

/** So many units are asked in a minute: a night is long enough for all. */
const MOST_A_MINUTE = 400;
const EVERY = { daily: '1 day', weekly: '7 days' } as const;
/** Units that came online and are where they belong. */
const IN_SERVICE = `binding join run on run.id = binding.run_id and run.outcome = 'through'
	join unit_connection held on held.unit_id = binding.unit_id and held.ended_at is null`;

/** Asks units for their configuration whose customer’s day, or week, is over since they were read. Runs as BOOTSTRAP. */
export async function askWhatIsDue(): Promise<void> {
	const { rows } = await database().raw(
		`select binding.unit_id as id from ${IN_SERVICE}
		left join upkeep_rule rule on rule.customer_id = binding.customer_id
		left join lateral (select seen_at as at from archive_version v where v.unit_id = binding.unit_id order by number desc limit 1) last on true
		where coalesce(rule.reads, :reads) <> 'never'
			and coalesce(last.at, '-infinity') < now() - case when coalesce(rule.reads, :reads) = 'weekly' then interval '${EVERY.weekly}' else interval '${EVERY.daily}' end
			and not exists (select from errand where errand.unit_id = binding.unit_id and errand.kind = 'read' and errand.asked_at > now() - interval '1 hour')
		order by last.at nulls first limit ${MOST_A_MINUTE}`,
		{ reads: USUAL_RULE.reads }
	);
	for (const { id } of rows as { id: string }[])
		await database().transaction((trx) =>
			askErrand(trx, { unitId: id, kind: 'read', why: 'due', ifConnected: true })
		);
}

/** A unit that was away and is back is read: somebody may have been at it. What a send waits for reads it anyway. */
export const askWhoReturned = grouped<string, void>(BOOTSTRAP, async (unitIds) => {
	const { rows } = await database().raw(
		`select binding.unit_id as id from ${IN_SERVICE}
		where binding.unit_id = any (?::uuid[])
			and not exists (select from send where send.unit_id = binding.unit_id and send.ended_at is null)`,
		[[...unitIds]]
	);
	await database().transaction(async (trx) => {
		for (const { id } of rows as { id: string }[])
			await askErrand(trx, { unitId: id, kind: 'read', why: 'back', ifConnected: true });
	});
	return unitIds.map(() => undefined);
});
