import type { Knex } from 'knex';
import * as v from 'valibot';
import { LONGEST_TERM, SHORTEST_TERM } from '../../../core/life';
import { done, refuse, refuseWithoutReason, type Act } from '../act';
import { changing } from '../change';
import { hangUp } from '../connections';
import { database } from '../database';
import { oneId } from '../forms';
import { beginLongWork, onLongWork } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

const NOT_YOURS = 'You may not retire units of this customer.';
const day = new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeZone: 'UTC' });

/**
 * Retires a unit that is bound nowhere: it is out of every list, count and schedule, and what is known of it is kept for its
 * customer's term. Whoever may take in units of the customer may, with a reason. Its label can be taken in anew.
 */
export const retireUnit = (unitId: string, actor: Actor): Promise<Act<{ readonly until: string }>> =>
	changing((trx) => retireIn(trx, unitId, actor));

async function retireIn(trx: Knex, unitId: string, actor: Actor): Promise<Act<{ readonly until: string }>> {
	const unit: { serial: string; customer_id: string } | undefined = await trx('unit')
		.where({ id: unitId })
		.first('serial', 'customer_id');
	if (!unit) return refuse('There is no such unit in use.');
	if (!actor.may('claim', unit.customer_id)) return refuse(NOT_YOURS);
	// Nobody binds it meanwhile, nor retires it too
	if (!(await trx('unit').where({ id: unitId }).forUpdate().first('id')))
		return refuse('There is no such unit in use.');
	if (await trx('binding').where({ unit_id: unitId }).first('unit_id'))
		return refuse(`${unit.serial} is at a place. Swap it or take it from there first.`);
	if (await trx('claim_request').where({ unit_id: unitId, kind: 'release' }).first('unit_id'))
		return refuse(`${unit.serial} is being given up; retire it once its maker has answered.`);
	if (!actor.reason) return refuseWithoutReason('Say why it is retired.');
	const { rows } = await trx.raw('select limen_retire(?, ?, ?) as until', [
		unitId,
		actor.name,
		actor.reason.slice(0, 1_000)
	]);
	await hangUp(trx, unit.customer_id, unitId);
	const until = day.format(rows[0].until as Date);
	await notify(trx, 'units', unit.customer_id, [unitId]);
	await enterInLedger(trx, actor, [
		{
			act: 'retire unit',
			customerId: unit.customer_id,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${unit.serial} is retired; what is known of it is destroyed on ${until}.`
		}
	]);
	return done({ until });
}

const RETIRE = 'retire';
/** From now on many units can be retired at once. */
export const startRetiring = (): void =>
	onLongWork(RETIRE, async (trx, { unit, why }, actor) => {
		const act = await retireIn(trx, unit!, { ...actor, reason: why! });
		return act.ok ? done(`Kept until ${act.done.until}.`) : act;
	});

/**
 * Retires those of many units that are bound nowhere, as long work, each as an act of its own. Returns how many are; the
 * others are left as they are.
 */
export async function retireUnits(
	unitIds: readonly string[],
	actor: Actor
): Promise<Act<{ id: string; count: number }>> {
	const { reason } = actor;
	if (!reason) return refuse('Say why they are retired.');
	const free: { unit: string; customerId: string; subject: string }[] = await database()('unit')
		.whereIn('unit.id', [...unitIds])
		.whereNotExists(database()('binding').whereRaw('binding.unit_id = unit.id'))
		.orderBy('serial')
		.select('unit.id as unit', 'customer_id as customerId', 'serial as subject');
	const mine = free.filter(({ customerId }) => actor.may('claim', customerId));
	if (mine.length === 0) return refuse('None of them is free of a place and may be retired by you.');
	const begun = await database().transaction((trx) =>
		beginLongWork(
			trx,
			{
				kind: RETIRE,
				title: 'Retire units',
				things: mine.map(({ unit, ...thing }) => ({ ...thing, about: { unit, why: reason } }))
			},
			actor
		)
	);
	return begun.ok ? done({ ...begun.done, count: mine.length }) : begun;
}

export interface Term {
	readonly customerId: string;
	readonly customer: string;
	readonly years: number;
}
/** For how many years what is known of retired units is kept, by customer. */
export const terms = (): Promise<Term[]> =>
	database()('customer')
		.orderBy('name')
		.select('id as customerId', 'name as customer', 'term_years as years');

export const termSchema = v.object({
	customer: oneId('Which customer?'),
	years: v.pipe(
		v.string('How many years?'),
		v.regex(/^\d$/, 'How many years?'),
		v.transform(Number),
		v.minValue(SHORTEST_TERM, `At least ${SHORTEST_TERM} year.`),
		v.maxValue(LONGEST_TERM, `At most ${LONGEST_TERM} years.`)
	)
});
/** States a customer's term; it counts for what is retired from now on. Administrators may. */
export const stateTerm = (
	{ customer: id, years }: v.InferOutput<typeof termSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('manage people', null)) return refuse('Terms are for administrators.');
		const before = await trx('customer').where({ id }).forUpdate().first('name', 'term_years');
		if (!before) return refuse('There is no such customer any more.');
		await trx('customer').where({ id }).update({ term_years: years });
		await enterInLedger(trx, actor, [
			{
				act: 'state term',
				customerId: id,
				subjectKind: 'customer',
				subjectId: id,
				words: `What is known of units that ${before.name} retires is kept for ${years} years.`,
				before: { years: before.term_years },
				after: { years }
			}
		]);
		return done(undefined);
	});
