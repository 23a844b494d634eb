import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { AlertKind } from '../../../core/events';
import { counted } from '../../../core/text';
import type { LookedAt } from '../drift';
import { database } from '../database';
import { notify } from '../live';

/** What a person should see of a unit. */
export interface Raised {
	readonly unitId: string;
	readonly customerId: string;
	readonly kind: AlertKind;
	readonly words: string;
	/** More is known of what was told already. */
	readonly isSame?: boolean;
}

/** Raises an alert. One that is open already goes on: what comes of one burst is one. Runs as BOOTSTRAP. */
export async function raise(
	trx: Knex,
	{ unitId, customerId, kind, words, isSame = false }: Raised
): Promise<void> {
	await trx.raw(
		`insert into alert (id, unit_id, customer_id, kind, words) values (:id, :unitId, :customerId, :kind, :words)
		on conflict (unit_id, kind) where ended_at is null do update
			set last_at = case when :isSame then alert.last_at else now() end, times = alert.times + case when :isSame then 0 else 1 end,
				words = excluded.words, seen_at = case when :isSame then alert.seen_at end, seen_by = case when :isSame then alert.seen_by end`,
		{ id: uuid(), unitId, customerId, kind, words: words.slice(0, 2_000), isSame }
	);
	await notify(trx, 'alerts', customerId, [unitId]);
}

/** A unit that left its place has nothing there that a person should see. Done twice, it does no harm. Runs as BOOTSTRAP. */
export async function endOfThoseAway(): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`update alert set ended_at = now() where ended_at is null
				and not exists (select from binding where binding.unit_id = alert.unit_id) returning unit_id, customer_id`
		);
		for (const { unit_id, customer_id } of rows as { unit_id: string; customer_id: string }[])
			await notify(trx, 'alerts', customer_id, [unit_id]);
	});
}

/** Whoever was changed outside of Limen is told; one that runs what it should again is told no more. */
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
	const ended: { unit_id: string; customer_id: string }[] = await trx('alert')
		.whereIn(
			'unit_id',
			asIntended.map(({ unitId }) => unitId)
		)
		.whereNull('ended_at')
		.update({ ended_at: trx.fn.now() })
		.returning(['unit_id', 'customer_id']);
	for (const { unit_id, customer_id } of ended) await notify(trx, 'alerts', customer_id, [unit_id]);
}
