import type { Knex } from 'knex';
import type { AlertRule } from '../../../core/alerts';
import { isOpenAt } from '../../../core/windows';
import { database } from '../database';
import { notify } from '../live';
import { windowsAt } from '../windows';

/** Of those rules that are on. */
export interface Ruled<Rule extends AlertRule> {
	readonly id: string;
	readonly customerId: string | null;
	readonly name: string;
	readonly rule: Rule;
}

export async function rulesAbout<About extends AlertRule['about']>(
	about: About
): Promise<readonly Ruled<Extract<AlertRule, { about: About }>>[]> {
	return database()('alert_rule')
		.where({ is_on: true })
		.whereRaw(`rule->>'about' = ?`, [about])
		.select('id', 'customer_id as customerId', 'name', 'rule');
}

/** Those that are over, in the transaction that finds them so. */
export async function endAlerts(trx: Knex, ids: readonly string[]): Promise<void> {
	if (ids.length === 0) return;
	const rows: { unit_id: string; customer_id: string }[] = await trx('alert')
		.whereIn('id', [...ids])
		.whereNull('ended_at')
		.update({ ended_at: trx.fn.now() })
		.returning(['unit_id', 'customer_id']);
	for (const { unit_id, customer_id } of rows) await notify(trx, 'alerts', customer_id, [unit_id]);
}

interface UnitPlace {
	readonly unitId: string;
	readonly siteId: string;
}
/**
 * Units of which nothing is told just now: Limen is sending, flashing or restarting them, or was a moment ago, or their
 * site's window for disruptive acts is open.
 */
export async function quietOf(
	knex: Knex,
	units: readonly UnitPlace[],
	now: Date
): Promise<ReadonlySet<string>> {
	if (units.length === 0) return new Set();
	const windows = await windowsAt(
		knex,
		units.map(({ siteId }) => siteId)
	);
	const { rows } = await knex.raw(
		`select distinct unit_id as "unitId" from errand where unit_id = any (:units::uuid[]) and kind in ('send', 'settle', 'flash', 'restart')
			and begun_at is not null and coalesce(ended_at, now()) > now() - interval '10 minutes'`,
		{ units: units.map(({ unitId }) => unitId) }
	);
	const busy = new Set((rows as { unitId: string }[]).map(({ unitId }) => unitId));
	return new Set(
		units.flatMap(({ unitId, siteId }) => {
			const window = windows.get(siteId);
			const isOpen = window !== undefined && window.hours !== null && isOpenAt(window, now.getTime());
			return busy.has(unitId) || isOpen ? [unitId] : [];
		})
	);
}
