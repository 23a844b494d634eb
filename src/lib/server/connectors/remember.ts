import type { Knex } from 'knex';
import type { ComparedRecord } from '../../../core/connector';
import type { StatedConnector } from './state';

/** What is remembered of records that are as here, all at once. */
export async function remember(
	trx: Knex,
	{ id, customer_id }: Pick<StatedConnector, 'id' | 'customer_id'>,
	records: readonly Pick<ComparedRecord, 'key' | 'name' | 'thingId' | 'base'>[]
): Promise<void> {
	if (records.length === 0) return;
	await trx.raw(
		`insert into connector_record as old (connector_id, key, customer_id, thing_id, name, base)
		select :id, r.key, :customer, r."thingId", r.name, r.base from jsonb_to_recordset(:records::jsonb) as r(key text, name text, "thingId" uuid, base jsonb)
		on conflict (connector_id, key) do update set thing_id = excluded.thing_id, name = excluded.name, base = excluded.base, gone_at = null
			where old.base <> excluded.base or old.name <> excluded.name or old.thing_id <> excluded.thing_id or old.gone_at is not null`,
		{
			id,
			customer: customer_id,
			records: JSON.stringify(records.map(({ key, name, thingId, base }) => ({ key, name, thingId, base })))
		}
	);
}
