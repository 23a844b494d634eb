import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { normalSerial, readLines } from '../../../core/intake';
import { pairUp, type NewUnit, type Paired } from '../../../core/replacement';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { BINDING_REFUSALS, swapIn } from '../binding';
import { changing } from '../change';
import { database, enqueue } from '../database';
import { manyIds, oneId } from '../forms';
import { beginLongWork, onLongWork } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { LOOK_AT_REPLACEMENT } from './look';
import { placesOf, replacementById, type Replacement } from './store';

const mayReplace = (actor: Actor, customerId: string): boolean =>
	actor.may('bind', customerId) && actor.may('unbind', customerId);
const NOT_BY_YOU = 'Who may bind and unbind units of this customer may replace them.';

export const replacementSchema = v.object({
	cohort: oneId('Which cohort?'),
	model: v.pipe(v.string('By which model?'), v.minLength(1, 'By which model?'), v.maxLength(100)),
	name: v.pipe(
		v.string('Give it a name.'),
		v.trim(),
		v.minLength(1, 'Give it a name.'),
		v.maxLength(120, 'At most 120 characters.')
	)
});

/**
 * Begins to replace the units of a cohort by those of another model: the cohort's rule as it is now says who is to go. Nothing is
 * swapped yet. Whoever may bind and unbind for its customer may. Refused: a second one of a name that is under way.
 */
export const beginReplacement = (
	{ cohort, model, name }: v.InferOutput<typeof replacementSchema>,
	actor: Actor
): Promise<Act<{ readonly id: string }>> =>
	changing(
		async (trx) => {
			const from = await trx('cohort')
				.where({ id: cohort })
				.first('customer_id as customerId', 'rule', 'name');
			if (!from) return refuse('There is no such cohort.');
			if (!mayReplace(actor, from.customerId)) return refuse(NOT_BY_YOU);
			const by = await trx('model').where({ id: model }).first('name');
			if (!by) return refuse('There is no such model.');
			const id = uuid();
			await trx('replacement').insert({
				id,
				customer_id: from.customerId,
				name,
				rule: from.rule,
				model_id: model,
				by_whom: actor.name
			});
			await enterInLedger(trx, actor, [
				{
					act: 'begin replacement',
					customerId: from.customerId,
					subjectKind: 'replacement',
					subjectId: id,
					words: `Replacement “${name}”: the units of the cohort “${from.name}” are to be replaced by ${by.name}.`,
					detail: { rule: from.rule, model }
				}
			]);
			await lookSoon(trx, id);
			return done({ id });
		},
		{ replacement_name: 'A replacement of this name is under way.' }
	);

const lookSoon = (trx: Knex, id: string) =>
	enqueue(trx, LOOK_AT_REPLACEMENT, { replacement: id }, { key: `${LOOK_AT_REPLACEMENT} ${id}` });

/** Has it looked at once more. Whoever may replace there may. */
export async function lookOnceMore(id: string, actor: Actor): Promise<Act> {
	const replacement = await underWay(id, actor);
	if (!replacement.ok) return replacement;
	await lookSoon(database(), id);
	return done(undefined);
}

/** A replacement that is under way and that somebody may go on with. */
async function underWay(id: string, actor: Actor, knex: Knex = database()): Promise<Act<Replacement>> {
	const replacement = await replacementById(id, knex);
	if (!replacement) return refuse('There is no such replacement.');
	if (!mayReplace(actor, replacement.customerId)) return refuse(NOT_BY_YOU);
	return replacement.endedAt ? refuse('This replacement is over.') : done(replacement);
}

const MOST_LINES = 5_000;
export const newUnitsSchema = v.object({
	units: v.pipe(
		v.string('Give at least one serial number.'),
		v.maxLength(300_000, 'Too long: at most 300,000 characters at once.')
	)
});

/**
 * Says which new units are meant for which places, from a list: see core's `pairUp`. Lines that fit are taken, the others are
 * answered and change nothing. Whoever may bind and unbind for the customer may. Refused: where no line fits.
 */
export async function giveUnits(
	id: string,
	{ units }: v.InferOutput<typeof newUnitsSchema>,
	actor: Actor
): Promise<Act<{ readonly taken: number; readonly refused: readonly Extract<Paired, { ok: false }>[] }>> {
	const found = await underWay(id, actor);
	if (!found.ok) return found;
	const { lines } = readLines(units);
	if (lines.length === 0) return refuse('Give at least one serial number.');
	if (lines.length > MOST_LINES) return refuse(`At most ${MOST_LINES} lines at once.`);
	const open = (await placesOf(id)).filter(({ bound, unit }) => bound === 'old' && unit === null);
	const known = await newUnits(
		found.done,
		lines.map(({ cells }) => normalSerial(cells[0] ?? ''))
	);
	const paired = pairUp(
		lines,
		open.map(({ positionId, oldSerial, site, position }) => ({
			positionId,
			serial: oldSerial,
			site,
			position
		})),
		known
	);
	const taken = paired.filter((one) => one.ok);
	const refused = paired.filter((one) => !one.ok);
	if (taken.length === 0)
		return refuse(`No unit has got a place. Line ${refused[0]!.line}: ${refused[0]!.why}`);
	return changing(
		async (trx) => {
			const { rowCount } = await trx.raw(
				`update replacement_place place set unit_id = given.unit from jsonb_to_recordset(:given::jsonb) as given(unit uuid, position uuid)
				where replacement_id = :id and place.position_id = given.position and place.unit_id is null`,
				{
					id,
					given: JSON.stringify(
						taken.map(({ unitId, positionId }) => ({ unit: unitId, position: positionId }))
					)
				}
			);
			if (rowCount < taken.length) return refuse('Somebody else gives units to these places. Look again.');
			await enterInLedger(trx, actor, [
				{
					act: 'give new units',
					customerId: found.done.customerId,
					subjectKind: 'replacement',
					subjectId: id,
					words: `Replacement “${found.done.name}”: ${counted(taken.length, 'new unit')} ${taken.length === 1 ? 'has its place' : 'have their places'}.`,
					detail: { pairs: taken.map(({ serial, positionId }) => ({ serial, positionId })) }
				}
			]);
			await notify(trx, 'replacements', found.done.customerId, [id]);
			return done({ taken: taken.length, refused });
		},
		{ replacement_place_unit_id_key: 'One of these units is meant for another place already. Look again.' }
	);
}

async function newUnits(
	{ customerId, modelId, model }: Replacement,
	serials: readonly string[]
): Promise<readonly NewUnit[]> {
	const { rows } = await database().raw(
		`select unit.id as "unitId", serial, case
				when unit.model_id <> :model then 'It is of the model ' || model.name || ', not ' || :name || '.'
				when out_of_service_at is not null then 'It is out of service.'
				when ownership = 'refused' then 'It is not ours to bind.'
				when exists (select from binding where binding.unit_id = unit.id) then 'It is bound to a position.'
				when exists (select from replacement_place place where place.unit_id = unit.id) then 'It is meant for another place already.' end as problem
		from unit join model on model.id = unit.model_id where unit.customer_id = :customer and serial = any (:serials::text[])
		-- a serial number is one maker's: the one that can come counts
		order by unit.model_id = :model`,
		{ model: modelId, name: model, customer: customerId, serials: [...serials] }
	);
	return rows;
}

export const placesSchema = v.object({ position: manyIds('Choose at least one place.', MOST_LINES) });

/** New units are meant for these places no more. Whoever may bind and unbind for the customer may. */
export const takeUnitsBack = (id: string, positions: readonly string[], actor: Actor): Promise<Act<number>> =>
	changing(async (trx) => {
		const found = await underWay(id, actor, trx);
		if (!found.ok) return found;
		const { rowCount } = await trx.raw(
			`update replacement_place place set unit_id = null where replacement_id = :id and position_id = any (:positions::uuid[]) and unit_id is not null
				and not exists (select from binding where binding.unit_id = place.unit_id and binding.position_id = place.position_id)`,
			{ id, positions: [...positions] }
		);
		if (rowCount === 0) return refuse('No unit is meant for any of them.');
		await enterInLedger(trx, actor, [
			{
				act: 'take new units back',
				customerId: found.done.customerId,
				subjectKind: 'replacement',
				subjectId: id,
				words: `Replacement “${found.done.name}”: ${counted(rowCount, 'new unit')} meant for no place any more.`
			}
		]);
		await notify(trx, 'replacements', found.done.customerId, [id]);
		return done(rowCount as number);
	});

const REPLACE = 'replace units';
/** From now on units that were chosen are swapped, each as an act of its own. */
export function startSwapping(): void {
	onLongWork(
		REPLACE,
		async (trx, { replacement, position, unit, why }, actor) => {
			const { name } = (await trx('replacement').where({ id: replacement }).first('name')) ?? {};
			if (!name) return refuse('The replacement is gone.');
			const act = await swapIn(trx, position!, unit!, {
				...actor,
				reason: `Replaced: ${name}. ${why ?? ''}`.trim()
			});
			if (!act.ok) return act;
			await notify(trx, 'replacements', null, [replacement!]);
			return done('Swapped.');
		},
		BINDING_REFUSALS
	);
}

/**
 * Swaps the units at these places for those that are meant for them, as long work, each as an act of its own. Whoever may bind and
 * unbind for the customer may. Refused: where none of them is ready.
 */
export async function swapPlaces(
	id: string,
	positions: readonly string[],
	actor: Actor
): Promise<Act<{ readonly count: number }>> {
	const found = await underWay(id, actor);
	if (!found.ok) return found;
	const wanted = new Set(positions);
	const ready = (await placesOf(id)).filter(
		({ positionId, standing }) => wanted.has(positionId) && standing === 'ready'
	);
	if (ready.length === 0)
		return refuse('None of them is ready: each needs its new unit, and nothing that does not match.');
	const begun = await database().transaction((trx) =>
		beginLongWork(
			trx,
			{
				kind: REPLACE,
				title: `Replace units: ${found.done.name}`,
				things: ready.map(({ positionId, unitId, oldSerial, unit, site }) => ({
					customerId: found.done.customerId,
					subject: `${oldSerial} by ${unit}, ${site}`,
					about: {
						replacement: id,
						position: positionId,
						unit: unitId!,
						...(actor.reason && { why: actor.reason })
					}
				}))
			},
			actor
		)
	);
	return begun.ok ? done({ count: ready.length }) : begun;
}

/** It is over: units that are meant for places and not bound there are free. Whoever may bind and unbind for the customer may. */
export const endReplacement = (id: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const found = await underWay(id, actor, trx);
		if (!found.ok) return found;
		const { customerId, name, going, coming } = found.done;
		await trx('replacement').where({ id }).update({ ended_at: trx.fn.now() });
		await trx.raw(
			`update replacement_place place set unit_id = null where replacement_id = ?
				and not exists (select from binding where binding.unit_id = place.unit_id and binding.position_id = place.position_id)`,
			[id]
		);
		await enterInLedger(trx, actor, [
			{
				act: 'end replacement',
				customerId,
				subjectKind: 'replacement',
				subjectId: id,
				words: `Replacement “${name}” is over: ${counted(coming, 'unit')} replaced, ${going} left.`
			}
		]);
		await notify(trx, 'replacements', customerId, [id]);
		return done(undefined);
	});
