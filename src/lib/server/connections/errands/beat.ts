import { afterBreak, ERRAND_KINDS, type ErrandKind } from '../../../../core/errand';
import { database } from '../../database';
import { onBeat, thisProcess } from '../../jobs';
import { notifyEach, subscribe } from '../../live';
import { allHeld, heldBy } from '../held';
import { busy, nudge } from './work';

let unsubscribe: (() => void) | undefined;

/** From now on errands are done as soon as they are asked for; at each beat, those that were missed, lost or came too late are looked after. */
export function startErrands(): void {
	unsubscribe = subscribe(
		({ topic, ids }) => void (topic === 'errand-asked' && ids.forEach(nudge)),
		() => true
	);
	onBeat(expire);
	onBeat(settleLost);
	onBeat(lookAgain);
}

export const stopErrands = (): void => void unsubscribe?.();

/**
 * What nobody did in time is not done any more: whoever asked is told. Nor is what Limen wanted of itself while a unit's
 * binding was being taken away.
 */
async function expire(): Promise<void> {
	await database().transaction(async (trx) => {
		const waiting = () => trx('errand').where({ state: 'waiting' });
		const over = (state: 'expired' | 'cancelled', words: string) => ({
			state,
			ended_at: trx.fn.now(),
			words
		});
		const told = ['id', 'customer_id as customerId'];
		const late = await waiting()
			.where('deadline', '<=', trx.fn.now())
			.update(over('expired', 'The unit did not come in time.'))
			.returning(told);
		const left = await waiting()
			.whereNotNull('why')
			.whereRaw('not exists (select from binding where binding.unit_id = errand.unit_id)')
			.update(over('cancelled', 'Its unit is no longer at its place.'))
			.returning(told);
		await notifyEach(trx, 'errand-ended', [...late, ...left]);
	});
}

/** Nobody is at an errand for so long without its unit being busy. */
const LOST_AFTER = '20 seconds';
const READING_KINDS = (Object.keys(ERRAND_KINDS) as ErrandKind[]).filter(
	(kind) => afterBreak(kind) === 'waiting'
);

/**
 * What is under way at a unit that is held here, though nobody is at it: that it was begun, or how it ended, was lost with a
 * connection to the database. Until it is settled nothing else is done at its unit. What only reads is asked again; of the
 * rest nobody knows what came of it.
 */
async function settleLost(): Promise<void> {
	const { rows } = await database().raw(
		`select errand.unit_id as id from errand join unit_connection c on c.unit_id = errand.unit_id and c.session = errand.session
		where errand.state = 'under way' and errand.begun_at < now() - interval '${LOST_AFTER}' and c.process_id = ? and c.ended_at is null`,
		[thisProcess()]
	);
	const lost = (rows as { id: string }[]).flatMap(({ id }) => {
		const one = heldBy(id);
		return one && !busy.has(id) ? [one] : [];
	});
	if (lost.length === 0) return;
	const reads = 'case when kind = any (:reading) then';
	// Nothing is begun at them meanwhile
	for (const { unit } of lost) busy.add(unit.unitId);
	try {
		await database().transaction(async (trx) => {
			const settled = await trx.raw(
				`update errand set state = ${reads} 'waiting' else 'uncertain' end, session = null,
					begun_at = ${reads} null else begun_at end, ended_at = ${reads} null else now() end,
					words = ${reads} words else 'What came of it was lost with a connection to the database.' end
				from jsonb_to_recordset(:lost::jsonb) as l(unit uuid, session uuid)
				where errand.unit_id = l.unit and errand.session = l.session and errand.state = 'under way'
				returning errand.id, customer_id as "customerId", errand.state`,
				{
					lost: JSON.stringify(lost.map(({ unit, session }) => ({ unit: unit.unitId, session }))),
					reading: READING_KINDS
				}
			);
			await notifyEach(
				trx,
				'errand-ended',
				(settled.rows as Settled[]).filter(({ state }) => state !== 'waiting')
			);
		});
	} finally {
		for (const { unit } of lost) {
			busy.delete(unit.unitId);
			nudge(unit.unitId);
		}
	}
}
interface Settled {
	readonly id: string;
	readonly customerId: string;
	readonly state: string;
}

/** Notifications can be missed; what waits for a unit that is held here is looked for now and then. */
async function lookAgain(): Promise<void> {
	const idle = allHeld().filter(({ unit }) => !busy.has(unit.unitId));
	if (idle.length === 0) return;
	const { rows } = await database().raw(
		`select distinct unit_id as id from errand where state = 'waiting' and unit_id = any (?::uuid[])`,
		[idle.map(({ unit }) => unit.unitId)]
	);
	for (const { id } of rows as { id: string }[]) nudge(id);
}
