import type { Knex } from 'knex';
import { patternOf } from '../../../core/pattern';
import { cleanText } from '../../../core/text';
import { apartFromTransaction, database } from '../database';
import { talkOf } from '../packs';

/** How a message came: what may tell whose it is. */
export interface Sender {
	readonly address: string;
	/** What it calls itself. */
	readonly host: string;
	/** The serial number in its certificate, where it showed one that was checked. */
	readonly serial: string | null;
}

export interface SendingUnit {
	readonly unitId: string;
	readonly customerId: string;
	readonly makerId: string;
	readonly modelId: string;
}

export const senderKey = ({ address, host, serial }: Sender): string =>
	JSON.stringify([address, host, serial]);

/**
 * Which units said something, by `senderKey`: the one whose certificate it is; else the only one that was connected from
 * that address, or the only one there with that name (its own by its configuration, or its serial number).
 * Runs as BOOTSTRAP.
 */
export async function whoSaid(senders: readonly Sender[]): Promise<ReadonlyMap<string, SendingUnit>> {
	const { rows } = await database().raw(
		`with said as (select * from jsonb_to_recordset(?::jsonb) as s(key text, address inet, host text, serial text)),
		there as (
			-- by address first: many names from one, behind which many units are, are not held against each of them
			select c.address, c.unit_id, count(*) over (partition by c.address) as beside, lower(unit.serial) as serial, lower(name.name) as name
			from unit_connection c join unit on unit.id = c.unit_id left join unit_name name on name.unit_id = c.unit_id
			where c.address in (select address from said where serial is null)
		), found as (
			select said.key, there.unit_id from said join there on there.address = said.address
			where said.serial is null and there.beside = 1
			union
			select said.key, there.unit_id from said join there on there.address = said.address and there.serial = lower(said.host)
			where said.serial is null
			union
			select said.key, there.unit_id from said join there on there.address = said.address and there.name = lower(said.host)
			where said.serial is null
			union
			select said.key, unit.id from said join unit on unit.serial = said.serial
		)
		select found.key, min(unit.id::text)::uuid as "unitId", min(unit.customer_id::text)::uuid as "customerId",
			min(unit.maker_id) as "makerId", min(unit.model_id) as "modelId"
		from found join unit on unit.id = found.unit_id group by found.key having count(*) = 1`,
		[JSON.stringify(senders.map((sender) => ({ ...sender, key: senderKey(sender) })))]
	);
	return new Map((rows as (SendingUnit & { key: string })[]).map(({ key, ...unit }) => [key, unit]));
}

/** Whether what a unit said means that it was configured; with who did, where it says that. null: it does not. */
export async function changeIn({ makerId, modelId }: SendingUnit, rest: string): Promise<string | null> {
	const rule = (await talkOf(makerId, modelId))?.events?.configured;
	const found = rule === undefined ? null : patternOf(rule).first(rest);
	return found && cleanText(found.user ?? '').slice(0, 200);
}

/** Notes what a unit calls itself by the configuration that it runs, in the transaction in which that is kept. */
export async function noteName(trx: Knex, unit: SendingUnit, text: string): Promise<void> {
	const rule = (await apartFromTransaction(() => talkOf(unit.makerId, unit.modelId)))?.events?.name;
	const name = rule === undefined ? undefined : patternOf(rule).first(text)?.name;
	if (!name) return;
	await trx('unit_name')
		.insert({ unit_id: unit.unitId, customer_id: unit.customerId, name: cleanText(name).slice(0, 255) })
		.onConflict('unit_id')
		.merge();
}
