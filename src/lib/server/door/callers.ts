import { BOOTSTRAP, database, grouped } from '../database';
import { CHANNEL, notifications } from '../live';

/** Why somebody who called was not served. */
export type CallerReason = 'unknown' | 'unbound' | 'wrong-code' | 'held' | 'unknown-key';
export interface Call {
	readonly serial: string;
	readonly reason: CallerReason;
	readonly address: string;
}

/** Strangers may call with any number of names: only so many of them are kept, the newest. */
const MOST_CALLERS = 2_000;

/** Notes who was turned away at the door: one row per serial and reason, counted, bounded. */
export const noteCaller = grouped<Call, void>(BOOTSTRAP, async (calls) => {
	const counted = new Map<string, Call & { calls: number }>();
	for (const call of calls) {
		const key = `${call.reason} ${call.serial}`;
		counted.set(key, { ...call, calls: (counted.get(key)?.calls ?? 0) + 1 });
	}
	await database().raw(
		`with noted as (
			insert into caller (serial, reason, address, calls, customer_id)
			select serial, reason, address, calls, (
				select min(unit.customer_id::text)::uuid from unit where unit.serial = c.serial having count(distinct customer_id) = 1
			)
			from jsonb_to_recordset(?::jsonb) as c(serial text, reason text, address inet, calls bigint)
			order by serial, reason
			on conflict (serial, reason) do update
				set calls = caller.calls + excluded.calls, last_at = now(), address = excluded.address, customer_id = excluded.customer_id
		), forgotten as (
			delete from caller where id in (select id from caller order by last_at desc offset ?)
		)
		select pg_notify(?, payload) from unnest(?::text[]) payload`,
		[JSON.stringify([...counted.values()]), MOST_CALLERS, CHANNEL, notifications('callers', [], null)]
	);
	return calls.map(() => undefined);
});

export interface Caller {
	readonly id: string;
	readonly serial: string;
	readonly reason: CallerReason;
	readonly address: string;
	readonly calls: number;
	readonly firstAt: Date;
	readonly lastAt: Date;
	/** The unit of ours it claims to be, if any. */
	readonly unitId: string | null;
	readonly customerId: string | null;
}

/**
 * Who waits at the door now, newest first. Those who were let in since (bound, tried again, code
 * corrected) are not shown any more.
 */
export async function callersAtDoor(customerId: string | null, limit = 50): Promise<Caller[]> {
	const { rows } = await database().raw(
		`select caller.id, caller.serial, reason, host(address) as address, calls::int, first_at as "firstAt",
			last_at as "lastAt", unit.id as "unitId", unit.customer_id as "customerId"
		from caller
		left join unit on unit.serial = caller.serial
		left join binding on binding.unit_id = unit.id
		left join run on run.id = binding.run_id
		where (?::uuid is null or unit.customer_id is null or unit.customer_id = ?::uuid)
			and case reason
				when 'unknown' then unit.id is null
				when 'unbound' then unit.id is not null and binding.unit_id is null
				when 'wrong-code' then unit.id is not null and run.outcome is distinct from 'through'
					and caller.last_at > coalesce(run.heard_at, '-infinity')
				when 'held' then run.outcome = 'failed' and caller.last_at > run.ended_at
				else true
			end
		order by last_at desc limit ?`,
		[customerId, customerId, limit]
	);
	return rows;
}
