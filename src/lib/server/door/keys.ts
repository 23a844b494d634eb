import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { BOOTSTRAP, database, isRefusal, runAs, timeNow } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { recordAll } from '../runs';

/** A key with which somebody dialled home that no unit reported. */
export interface StrangeKey {
	readonly id: string;
	readonly fingerprint: string;
	readonly algorithm: string;
	readonly address: string;
	readonly lastAt: Date;
}
export async function strangeKey(callerId: string): Promise<StrangeKey | undefined> {
	return database()('caller')
		.where({ id: callerId, reason: 'unknown-key' })
		.whereNotNull('host_key')
		.first(
			'id',
			'serial as fingerprint',
			database().raw(`split_part(host_key, ' ', 1) as algorithm`),
			database().raw('host(address) as address'),
			'last_at as lastAt'
		);
}

/** A unit whose key a strange one may be. */
export interface KeylessUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly place: string;
	/** When files for removable storage were made for it. */
	readonly bundledAt: Date | null;
}
const MOST_SHOWN = 100;
/** Units on their way that have reported no key, those first for which files were made; of those that whoever asks may see. */
export async function keylessUnits(): Promise<KeylessUnit[]> {
	const { rows } = await database().raw(
		`select unit.id as "unitId", unit.serial, site.name || ', ' || position.name as place, made.at as "bundledAt"
		from binding join unit on unit.id = binding.unit_id join run on run.id = binding.run_id and run.outcome = 'open'
		join position on position.id = binding.position_id join site on site.id = position.site_id
		left join lateral (select max(at) as at from run_event where run_id = run.id and kind = 'bundle') made on true
		where not exists (select from unit_host_key where unit_host_key.unit_id = unit.id)
		order by made.at desc nulls last, place limit ${MOST_SHOWN}`
	);
	return rows;
}

export const keyOfSchema = v.object({ unit: oneId('Choose a unit.') });

/**
 * Says that a strange key is a unit's: somebody has compared its fingerprint with what the unit's console shows. From its next call on
 * the unit is known by it. Whoever may bind for the unit's customer may. Refused: a unit that is on no way, has a key already, or
 * a key that another unit has.
 */
export async function letInByKey(
	callerId: string,
	{ unit: unitId }: v.InferOutput<typeof keyOfSchema>,
	actor: Actor
): Promise<Act> {
	const unit = await database()('unit')
		.join('binding', 'binding.unit_id', 'unit.id')
		.join('run', 'run.id', 'binding.run_id')
		.where({ 'unit.id': unitId })
		.first('unit.serial', 'unit.customer_id as customerId', 'run.id as runId', 'run.outcome');
	if (!unit || !actor.may('bind', unit.customerId)) return refuse('You may not bring this unit online.');
	if (unit.outcome !== 'open') return refuse('This unit is not on its way to be online.');
	return runAs(BOOTSTRAP, () =>
		database()
			.transaction(async (trx) => {
				const caller = await trx('caller')
					.where({ id: callerId, reason: 'unknown-key' })
					.forUpdate()
					.first('host_key as hostKey', 'serial as fingerprint');
				if (!caller?.hostKey) return refuse('This caller is not known any more.');
				if (await trx('unit_host_key').where({ unit_id: unitId }).first('key'))
					return refuse('This unit has reported a key by now.');
				const [algorithm, key] = (caller.hostKey as string).split(' ') as [string, string];
				const words = `${actor.name} says that ${caller.fingerprint} is its key.`;
				await recordAll(trx, [
					{
						runId: unit.runId,
						event: { kind: 'key', at: timeNow() },
						words,
						facts: { hostKeys: [{ algorithm, key }] }
					}
				]);
				await trx('caller').where({ id: callerId }).delete();
				await notify(trx, 'callers', null);
				await enterInLedger(trx, actor, [
					{
						act: 'let in by key',
						customerId: unit.customerId,
						subjectKind: 'unit',
						subjectId: unitId,
						words: `Unit ${unit.serial} is known by the key ${caller.fingerprint}, with which it dialled home.`
					}
				]);
				return done(undefined);
			})
			.catch((error: Error) => {
				if (!isRefusal(error)) throw error;
				return refuse('Another unit has this key.');
			})
	);
}
