import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

const alertField = { alert: oneId('Which alert?') };
export const careSchema = v.object(alertField);
export const noteSchema = v.object({
	...alertField,
	words: v.pipe(
		v.string('Write something.'),
		v.trim(),
		v.minLength(1, 'Write something.'),
		v.maxLength(2_000, 'At most 2,000 characters.')
	)
});

interface Row {
	readonly id: string;
	readonly unit_id: string | null;
	readonly connector_id: string | null;
	readonly customer_id: string;
	readonly words: string;
	readonly ended_at: Date | null;
	readonly owner_id: string | null;
}

/** An alert whose customer's sites somebody may prove; refused otherwise, in words. */
const ofTheirs = async (trx: Knex, id: string, actor: Actor): Promise<Row | string> => {
	const row: Row | undefined = await trx('alert').where({ id }).forUpdate().first();
	if (!row) return 'There is no such alert any more.';
	return actor.may('prove', row.customer_id) ? row : 'You may not do this for units of this customer.';
};

/**
 * Somebody takes care of an alert: it is theirs, and counts as seen. Whoever may prove at its customer may, also where
 * somebody else had it. Refused: one that has ended.
 */
export const takeAlert = (
	{ alert: id }: v.InferOutput<typeof careSchema>,
	actor: Actor & { readonly personId: string }
): Promise<Act> =>
	changing(async (trx) => {
		const alert = await ofTheirs(trx, id, actor);
		if (typeof alert === 'string') return refuse(alert);
		if (alert.ended_at) return refuse('It has ended: nobody has to take care of it.');
		await trx('alert')
			.where({ id })
			.update({
				owner_id: actor.personId,
				owner: actor.name,
				seen_at: trx.raw('coalesce(seen_at, now())'),
				seen_by: trx.raw('coalesce(seen_by, ?)', [actor.name])
			});
		await noted(trx, alert, actor, 'take alert', `${actor.name} takes care of: ${alert.words}`);
		return done(undefined);
	});

/** Writes something beside an alert, also one that has ended. Whoever may prove at its customer may. */
export const noteOnAlert = (
	{ alert: id, words }: v.InferOutput<typeof noteSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		const alert = await ofTheirs(trx, id, actor);
		if (typeof alert === 'string') return refuse(alert);
		await trx('alert_note').insert({
			id: uuid(),
			alert_id: id,
			customer_id: alert.customer_id,
			by_whom: actor.name,
			words
		});
		await noted(trx, alert, actor, 'note on alert', `Noted: ${words}`);
		return done(undefined);
	});

async function noted(trx: Knex, alert: Row, actor: Actor, act: string, words: string): Promise<void> {
	await enterInLedger(trx, actor, [
		{
			act,
			customerId: alert.customer_id,
			subjectKind: alert.unit_id ? 'unit' : 'connector',
			subjectId: (alert.unit_id ?? alert.connector_id)!,
			words: words.slice(0, 1_000),
			detail: { alertId: alert.id }
		}
	]);
	await notify(trx, 'alerts', alert.customer_id, [(alert.unit_id ?? alert.connector_id)!]);
}
