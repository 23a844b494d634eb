import { done, refuse, type Act } from '../act';
import { readClaimCode } from '../../../core/intake';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { askFor, registries } from './registries';

/** What waits on a maker's registry, and why. */
export interface RegistryWait {
	readonly makerName: string;
	readonly count: number;
	readonly since: Date;
	readonly nextAt: Date | null;
	/** Empty while all is well. */
	readonly problem: string;
}

export async function registryWaits(customerId: string | null): Promise<readonly RegistryWait[]> {
	const { rows } = await database().raw(
		`select maker.name as "makerName", count(*)::int, min(asked_at) as since,
			case when coalesce(state.problem, '') <> '' then state.paused_until else min(next_at) filter (where request.problem <> '') end as "nextAt",
			coalesce(nullif(state.problem, ''), max(request.problem)) as problem
		from claim_request request join maker on maker.id = request.maker_id left join registry_state state on state.maker_id = maker.id
		where request.kind = 'claim' and (?::uuid is null or customer_id = ?::uuid)
		group by maker.id, state.maker_id order by maker.name`,
		[customerId, customerId]
	);
	return rows;
}

/** A unit that its maker's registry refused. */
export interface RefusedUnit {
	readonly id: string;
	readonly serial: string;
	readonly modelName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly words: string;
	readonly claimedAt: Date;
}
export const refusedUnits = (customerId: string | null, limit = 200): Promise<RefusedUnit[]> => {
	const query = database()('unit')
		.join('model', 'model.id', 'unit.model_id')
		.join('customer', 'customer.id', 'unit.customer_id')
		.where('ownership', 'refused')
		.orderBy('claimed_at', 'desc')
		.limit(limit)
		.select<RefusedUnit[]>(
			'unit.id', 'serial', 'model.name as modelName', 'unit.customer_id as customerId', 'customer.name as customerName',
			'ownership_words as words', 'claimed_at as claimedAt'
		); // prettier-ignore
	return customerId ? query.where('unit.customer_id', customerId) : query;
};

const refusedUnit = (trx: ReturnType<typeof database>, unitId: string) =>
	trx('unit').where({ id: unitId }).forUpdate().first('serial', 'customer_id', 'ownership');

/** Asks the registry again for a unit that it refused: with another claim code, or because something changed there. */
export async function askAgainFor(unitId: string, code: string, actor: Actor): Promise<Act> {
	const read = readClaimCode(code);
	if (read === null) return refuse('The claim code has 8 to 32 letters and digits; this one does not.');
	return database().transaction(async (trx) => {
		const unit = await refusedUnit(trx, unitId);
		if (!unit) return refuse('There is no such unit.');
		if (!actor.may('claim', unit.customer_id)) return refuse('You may not claim units for this customer.');
		if (unit.ownership !== 'refused')
			return refuse('The registry has not refused this unit, or not any more.');
		await askFor(trx, [{ id: unitId, claimCode: read }]);
		await notify(trx, 'units', unit.customer_id, [unitId]);
		await enterInLedger(trx, actor, [
			{
				act: 'claim',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `The registry is asked again for ${unit.serial}.`
			}
		]);
		return done(undefined);
	});
}

/** Drops a unit that its registry refused and that was never bound: it was never ours. */
export async function dropRefused(unitId: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const unit = await refusedUnit(trx, unitId);
		if (!unit) return refuse('It is gone already.');
		if (!actor.may('claim', unit.customer_id)) return refuse('You may not claim units for this customer.');
		if (unit.ownership !== 'refused') return refuse('Only what a registry refused is dropped.');
		const used =
			(await trx('binding').where({ unit_id: unitId }).first()) ??
			(await trx('run').where({ unit_id: unitId }).first('id'));
		if (used) return refuse(`${unit.serial} is bound or has been. Unbind it; its history stays.`);
		await trx('unit').where({ id: unitId }).delete();
		await notify(trx, 'units', unit.customer_id, [unitId]);
		await enterInLedger(trx, actor, [
			{
				act: 'drop refused unit',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `${unit.serial} was dropped: it was never ours.`
			}
		]);
		return done(undefined);
	});
}

/**
 * Gives up a unit that is out of service: its maker's registry is asked to release it, so that whoever has it
 * next can claim it. Whoever may claim for the customer may. What is known of it here stays. Of a maker
 * without a registry it is released at once.
 */
export const giveUp = (unitId: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const unit = await trx('unit')
			.where({ id: unitId })
			.forUpdate()
			.first('serial', 'customer_id', 'maker_id', 'ownership', 'out_of_service_at');
		if (!unit) return refuse('There is no such unit.');
		if (!actor.may('claim', unit.customer_id)) return refuse('You may not do this for this customer.');
		if (unit.out_of_service_at === null) return refuse('Only a unit that is out of service is given up.');
		if (unit.ownership !== 'confirmed') return refuse('Its maker does not say that it is ours.');
		const isAsked = registries().some(({ makerId }) => makerId === unit.maker_id);
		if (isAsked)
			await trx('claim_request')
				.insert({
					unit_id: unitId,
					customer_id: unit.customer_id,
					maker_id: unit.maker_id,
					claim_code: '',
					kind: 'release'
				})
				.onConflict('unit_id')
				.ignore();
		else await trx('unit').where({ id: unitId }).update({ ownership: 'released' });
		await notify(trx, 'units', unit.customer_id, [unitId]);
		await enterInLedger(trx, actor, [
			{
				act: 'give up unit',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `${unit.serial} is given up${isAsked ? '; its maker’s registry is asked to release it' : ''}.`
			}
		]);
		return done(undefined);
	});
