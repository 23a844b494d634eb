import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { AlertKind } from '../../../core/events';
import { counted } from '../../../core/text';
import type { LookedAt } from '../drift';
import { database } from '../database';
import type { ToldSerials } from '../health';
import { notify } from '../live';

/** What a person should see of a unit, or of a connector. */
export type Raised = AboutIt & {
	readonly customerId: string;
	readonly kind: AlertKind;
	readonly words: string;
	/** More is known of what was told already. */
	readonly isSame?: boolean;
	/** By which rule, and of which part of the unit. */
	readonly ruleId?: string | null;
	readonly part?: string;
	/** Units that are away because of it. */
	readonly withUnits?: readonly string[];
};
type AboutIt =
	| { readonly unitId: string; readonly connectorId?: never }
	| { readonly unitId?: never; readonly connectorId: string };

/** Raises an alert. One that is open already goes on: what comes of one burst is one. Runs as BOOTSTRAP. */
export async function raise(
	trx: Knex,
	{
		unitId,
		connectorId,
		customerId,
		kind,
		words,
		isSame = false,
		ruleId = null,
		part = '',
		withUnits = []
	}: Raised
): Promise<void> {
	const { rows } = await trx.raw(
		`insert into alert as old (id, unit_id, connector_id, customer_id, kind, words, rule_id, part, with_units)
		values (:id, :unitId, :connectorId, :customerId, :kind, :words, :ruleId, :part, :withUnits::uuid[])
		on conflict (unit_id, connector_id, kind, rule_id, part) where ended_at is null do update
			set last_at = case when :isSame then old.last_at else now() end, times = old.times + case when :isSame then 0 else 1 end,
				words = excluded.words, with_units = excluded.with_units,
				seen_at = case when :isSame then old.seen_at end, seen_by = case when :isSame then old.seen_by end
			-- what is as it was is not told anew
			where not :isSame or old.words <> excluded.words or old.with_units <> excluded.with_units
		returning id`,
		{
			id: uuid(),
			unitId: unitId ?? null,
			connectorId: connectorId ?? null,
			customerId,
			kind,
			words: words.slice(0, 2_000),
			isSame,
			ruleId,
			part: part.slice(0, 80),
			withUnits: [...withUnits]
		}
	);
	if (rows.length > 0) await notify(trx, 'alerts', customerId, unitId ? [unitId] : []);
}

/** What a connector raised is over: it was read again, or was ended. */
export async function endAlertOf(trx: Knex, connectorId: string, customerId: string): Promise<void> {
	const ended = await trx('alert')
		.where({ connector_id: connectorId, ended_at: null })
		.update({ ended_at: trx.fn.now() });
	if (ended > 0) await notify(trx, 'alerts', customerId);
}

/**
 * A unit that left its place has nothing there that a person should see; another host key is over once it is reached with it, or
 * somebody says anew where. Done twice, it does no harm. Runs as BOOTSTRAP.
 */
export async function endOfThoseAway(): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`update alert set ended_at = now() where ended_at is null and unit_id is not null and case when kind = 'other host key'
				then not exists (select from unit_reach r where r.unit_id = alert.unit_id and r.host_key is not null)
					or exists (select from unit_connection c where c.unit_id = alert.unit_id and c.way = 'out' and c.ended_at is null)
				else not exists (select from binding where binding.unit_id = alert.unit_id) end returning unit_id, customer_id`
		);
		for (const { unit_id, customer_id } of rows as { unit_id: string; customer_id: string }[])
			await notify(trx, 'alerts', customer_id, [unit_id]);
	});
}

/** Whoever was changed outside of Limen is told; one that runs what it should again is no longer told. */
export async function tellOfDrift(trx: Knex, looked: readonly LookedAt[]): Promise<void> {
	for (const { unitId, customerId, state, findings, kept } of looked)
		if (state === 'differs' && kept.how === 'outside')
			await raise(trx, {
				unitId,
				customerId,
				kind: 'changed outside',
				isSame: !kept.isNew,
				words: `Somebody${kept.byWhom ? `, ${kept.byWhom},` : ''} configured it past Limen: it differs in ${counted(findings, 'place')} from what it should run.`
			});
	const asIntended = looked.filter(({ state }) => state === 'as intended');
	if (asIntended.length === 0) return;
	await endAlerts(
		trx,
		asIntended.map(({ unitId }) => unitId),
		['changed outside', 'put back', 'not put back']
	);
}

/** What a person was told of units is so no more. */
async function endAlerts(trx: Knex, unitIds: readonly string[], kinds: readonly AlertKind[]): Promise<void> {
	const ended: { unit_id: string; customer_id: string }[] = await trx('alert')
		.whereIn('unit_id', [...unitIds])
		.whereIn('kind', [...kinds])
		.whereNull('ended_at')
		.update({ ended_at: trx.fn.now() })
		.returning(['unit_id', 'customer_id']);
	for (const { unit_id, customer_id } of ended) await notify(trx, 'alerts', customer_id, [unit_id]);
}

/** Somebody else may answer where a unit is reached: nothing is sent there, and a person is told, once until it is over. */
export const tellOfOtherKey = (
	{ unitId, customerId }: { readonly unitId: string; readonly customerId: string },
	address: string
): Promise<void> =>
	database().transaction((trx) =>
		raise(trx, {
			unitId,
			customerId,
			kind: 'other host key',
			isSame: true,
			words: `What answers at ${address} shows another host key than this unit did at the first contact: it was replaced or reset, or somebody stands in between. It is not logged into. Once you know why, say anew where it is reached.`
		})
	);

/**
 * A unit that says another serial number than the one that is bound there is another box: a person is told, once until it
 * says its own again. Runs as BOOTSTRAP.
 */
export const tellOfSerials = (told: ToldSerials): Promise<void> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select unit.id as "unitId", unit.customer_id as "customerId", unit.serial, told.serial as said, position.name || ' at ' || site.name as place
			from jsonb_to_recordset(?::jsonb) as told("unitId" uuid, serial text) join unit on unit.id = told."unitId"
			join binding on binding.unit_id = unit.id join position on position.id = binding.position_id join site on site.id = position.site_id
			where upper(told.serial) <> upper(unit.serial) or exists (
				select from alert where alert.unit_id = unit.id and alert.kind = 'other serial' and alert.ended_at is null
			)
			-- in one order for every process: none waits for another that waits for it
			order by unit.id`,
			[JSON.stringify(told)]
		);
		for (const { unitId, customerId, serial, said, place } of rows as Record<string, string>[])
			if (said!.toUpperCase() !== serial!.toUpperCase())
				await raise(trx, {
					unitId: unitId!,
					customerId: customerId!,
					kind: 'other serial',
					isSame: true,
					words: `What answers as ${serial} for ${place} says that its serial number is ${said}: another box stands in its place. Swap it in the plan as well, or have the right one put back.`
				});
			else await endAlerts(trx, [unitId!], ['other serial']);
	});
