import { readListQuery, UNIT_LIST } from '../../../core/list';
import { mismatchesOf } from './suits';
import { database } from '../database';
import { unitIds } from '../intake';
import { notify } from '../live';
import { log } from '../log';
import { replacementById } from './store';

export const LOOK_AT_REPLACEMENT = 'look at a replacement';
export const MOST_PLACES = 5_000;
const AT_ONCE = 200;

/**
 * Looks who is to go by a replacement's rule, what of their places does not match the new model, and counts for today. A place
 * that the rule no longer meets goes, unless it has its new unit. Done twice, it does no harm. Runs as BOOTSTRAP.
 */
export async function lookAtReplacement(id: string): Promise<void> {
	const replacement = await replacementById(id);
	if (!replacement || replacement.endedAt) return;
	const { customerId, modelId, rule } = replacement;
	const members = await unitIds(customerId, readListQuery(new URLSearchParams(rule), UNIT_LIST), MOST_PLACES);
	await database().raw(
		`with met as (
			select binding.position_id, binding.unit_id from binding join unit on unit.id = binding.unit_id
			where binding.customer_id = :customer and binding.unit_id = any (:members::uuid[]) and unit.model_id <> :model
		), gone as (
			delete from replacement_place place using binding where place.replacement_id = :id and place.unit_id is null
				and binding.position_id = place.position_id and binding.unit_id = place.old_unit_id and not exists (select from met where met.position_id = place.position_id)
		)
		insert into replacement_place (replacement_id, customer_id, position_id, old_unit_id)
		select :id, :customer, position_id, unit_id from met
		on conflict (replacement_id, position_id) do update set old_unit_id = excluded.old_unit_id`,
		{ id, customer: customerId, model: modelId, members: [...members] }
	);
	await freeUnits(id);
	const open: string[] = await database()('replacement_place')
		.join('binding', 'binding.position_id', 'replacement_place.position_id')
		.where({ replacement_id: id })
		.whereRaw('binding.unit_id = old_unit_id')
		.pluck('replacement_place.position_id');
	for (let from = 0; from < open.length; from += AT_ONCE) {
		const some = open.slice(from, from + AT_ONCE);
		const problems = await mismatchesOf(some, modelId);
		await database().raw(
			`update replacement_place place set problems = array(select jsonb_array_elements_text(found.problems))
			from jsonb_to_recordset(:found::jsonb) as found(position uuid, problems jsonb)
			where place.replacement_id = :id and place.position_id = found.position`,
			{
				id,
				found: JSON.stringify(some.map((position) => ({ position, problems: problems.get(position) ?? [] })))
			}
		);
	}
	const { going, coming } = (await replacementById(id)) ?? replacement;
	await database().transaction(async (trx) => {
		await trx('replacement').where({ id }).update({ looked_at: trx.fn.now() });
		await trx.raw(
			`insert into replacement_day (replacement_id, customer_id, day, going, coming) values (:id, :customer, current_date, :going, :coming)
			on conflict (replacement_id, day) do update set going = excluded.going, coming = excluded.coming`,
			{ id, customer: customerId, going, coming }
		);
		await notify(trx, 'replacements', customerId, [id]);
	});
}

/** New units that were bound elsewhere, or whose place got another one, are meant for nothing any more. */
const freeUnits = (id: string): Promise<unknown> =>
	database().raw(
		`update replacement_place place set unit_id = null where replacement_id = ? and (
			exists (select from binding where binding.unit_id = place.unit_id and binding.position_id <> place.position_id)
			or exists (select from binding where binding.position_id = place.position_id and binding.unit_id not in (place.unit_id, old_unit_id)))`,
		[id]
	);

/** All that are under way, one after the other. Runs as BOOTSTRAP. */
export async function lookAtReplacements(): Promise<void> {
	const ids: string[] = await database()('replacement').whereNull('ended_at').orderBy('made_at').pluck('id');
	for (const id of ids)
		try {
			await lookAtReplacement(id);
		} catch (error) {
			log.warn({ replacement: id, error: (error as Error).message }, 'a replacement could not be looked at');
		}
}
