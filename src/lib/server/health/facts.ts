import { LRUCache } from 'lru-cache';
import { FACTS_IN_ORDER } from '../../../core/life';
import { cleanText } from '../../../core/text';
import { BOOTSTRAP, database, grouped } from '../database';

/** What a unit is made of changes seldom: it is asked once a day by each process that holds it. */
const DAY_MS = 24 * 3_600_000;
const asked = new LRUCache<string, true>({ max: 100_000, ttl: DAY_MS });
export const isFactsDue = (unitId: string): boolean => !asked.has(unitId);

interface Told {
	readonly unitId: string;
	readonly customerId: string;
	/** The answer to what its serial number is. */
	readonly answer: Readonly<Record<string, string | undefined>>;
}

const LONGEST = 500;

/** What units said when they were asked for their serial numbers. */
export type ToldSerials = readonly { readonly unitId: string; readonly serial: string }[];
type Listener = (told: ToldSerials) => Promise<void>;
const listeners: Listener[] = [];
/** Whenever units have said what their serial numbers are. Runs as BOOTSTRAP. */
export const onSerialsTold = (listener: Listener): void => void listeners.push(listener);

/** Keeps what units say that they are made of: each fact with since when it is so. Runs as BOOTSTRAP. */
export const keepFacts = grouped<Told, void>(BOOTSTRAP, async (all) => {
	const rows = all.flatMap(({ unitId, customerId, answer }) =>
		FACTS_IN_ORDER.flatMap((fact) => {
			const value = cleanText(answer[fact] ?? '')
				.trim()
				.slice(0, LONGEST);
			return value === '' ? [] : [{ unit_id: unitId, customer_id: customerId, fact, value }];
		})
	);
	await database().raw(
		`with told as (
			select distinct on (unit_id, fact) * from jsonb_to_recordset(:rows::jsonb) as t(unit_id uuid, customer_id uuid, fact text, value text)
		), over as (
			update unit_fact f set until = now() from told where f.unit_id = told.unit_id and f.fact = told.fact and f.until is null and f.value <> told.value
			returning f.unit_id, f.fact
		)
		insert into unit_fact (unit_id, customer_id, fact, value)
		select told.* from told where not exists (select from unit_fact f where f.unit_id = told.unit_id and f.fact = told.fact and f.until is null)
			or exists (select from over where over.unit_id = told.unit_id and over.fact = told.fact)
		-- another process has just noted it
		on conflict do nothing`,
		{ rows: JSON.stringify(rows) }
	);
	const serials = rows.flatMap(({ unit_id, fact, value }) =>
		fact === 'serial' ? [{ unitId: unit_id, serial: value }] : []
	);
	if (serials.length > 0) for (const listener of listeners) await listener(serials);
	for (const { unitId } of all) asked.set(unitId, true);
	return all.map(() => undefined);
});
