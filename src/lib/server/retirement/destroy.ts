import { database } from '../database';
import { enterInLedger, LIMEN } from '../ledger';
import { log } from '../log';

/** So many units in one transaction: nobody waits long for it. */
const AT_ONCE = 20;

/** Destroys what is known of retired units whose term is over, with a record of what was. Runs as BOOTSTRAP; returns how many. */
export async function destroyWhatIsOver(): Promise<number> {
	let all = 0;
	for (let count = AT_ONCE; count === AT_ONCE; all += count)
		count = await database().transaction(async (trx) => {
			const { rows } = await trx.raw(
				`select unit_id as "unitId", customer_id as "customerId", serial, retired_at as "retiredAt", what from limen_destroy_retired(${AT_ONCE})`
			);
			const gone = rows as {
				unitId: string;
				customerId: string;
				serial: string;
				retiredAt: Date;
				what: Record<string, number>;
			}[];
			if (gone.length > 0)
				await enterInLedger(
					trx,
					LIMEN,
					gone.map(({ unitId, customerId, serial, retiredAt, what }) => ({
						act: 'destroy retired unit',
						customerId,
						subjectKind: 'unit' as const,
						subjectId: unitId,
						words: `What was known of ${serial}, retired on ${retiredAt.toISOString().slice(0, 10)}, is destroyed: its term is over.`,
						detail: { rows: what }
					}))
				);
			return gone.length;
		});
	if (all > 0) log.info({ units: all }, 'destroyed what was kept of retired units');
	return all;
}
