import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { STANCE_WORDS, STANCES, type Stance } from '../../../core/stance';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import type { StanceOwner } from './store';

export const stanceSchema = v.object({
	stance: v.union(
		[
			v.pipe(
				v.literal(''),
				v.transform(() => null)
			),
			v.picklist(STANCES)
		],
		'Watch or hold?'
	)
});

/**
 * States what becomes of drift at a customer, a site or a unit; null: as stated further out. Whoever may send there may,
 * for holding sends by itself.
 */
export const takeStance = (owner: StanceOwner, stance: Stance | null, actor: Actor): Promise<Act> =>
	changing((trx) => takeStanceIn(trx, owner, stance, actor));

/** The same inside a transaction of the caller's. */
export async function takeStanceIn(
	trx: Knex,
	owner: StanceOwner,
	stance: Stance | null,
	actor: Actor
): Promise<Act> {
	const { customerId, siteId, unitId } = owner;
	if (!actor.may('send', customerId)) return refuse('You may not decide this for this customer.');
	// A unit is itself, wherever it is
	const where = { customer_id: customerId, site_id: unitId ? null : siteId, unit_id: unitId };
	const before = await trx('stance').where(where).forUpdate().first('id', 'stance');
	if ((before?.stance ?? null) === stance) return refuse('It is so already.');
	if (stance === null) await trx('stance').where({ id: before!.id }).delete();
	else
		await trx('stance')
			.insert({ id: before?.id ?? uuid(), ...where, stance, by_whom: actor.name, at: trx.fn.now() })
			.onConflict('id')
			.merge();
	const what = unitId ? 'This unit' : siteId ? 'This site' : 'Every unit of this customer';
	await enterInLedger(trx, actor, [
		{
			act: 'take stance',
			customerId,
			subjectKind: unitId ? 'unit' : siteId ? 'site' : 'customer',
			subjectId: unitId ?? siteId ?? customerId,
			words: `${what}: ${stance ? STANCE_WORDS[stance] : 'as stated further out'}.`,
			before: { stance: before?.stance ?? null },
			after: { stance }
		}
	]);
	await notify(trx, 'drift', customerId, unitId ? [unitId] : []);
	return done(undefined);
}
