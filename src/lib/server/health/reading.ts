import { LRUCache } from 'lru-cache';
import { figuresOf, SLOT_MS, type Answers, type Counted, type Figures } from '../../../core/health';
import type { Ask } from '../../../core/pack';
import { ConnectionBroke, type ClaimedErrand, type Dialogue } from '../connections';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { notifyEach } from '../live';
import { isFactsDue, keepFacts } from './facts';

/** The counters of each unit's last answer. Whoever holds its connection next begins anew, with one gap. */
const counted = new LRUCache<string, Counted>({ max: 100_000 });

/** What a unit came to over the stretch in which it was read. */
export interface UnitFigures {
	readonly unitId: string;
	readonly customerId: string;
	readonly at: number;
	readonly figures: Figures;
}

/** Asks a unit all that its pack has words for, and keeps the figures. A question that it does not answer is no figure. */
export async function readHealth({ unit }: ClaimedErrand, dialogue: Dialogue): Promise<string> {
	const rows = async (ask: Ask) => {
		if (!dialogue.knows(ask)) return undefined;
		return dialogue.read(ask).then(
			(answer) => answer.rows,
			(error: Error) => {
				if (error instanceof ConnectionBroke) throw error;
				return undefined;
			}
		);
	};
	const { unitId, customerId } = unit;
	if (isFactsDue(unitId)) {
		const [answer] = (await rows('serial')) ?? [];
		if (answer) await keepFacts({ unitId, customerId, answer });
	}
	const began = performance.now();
	const health = await rows('health');
	const trip = dialogue.knows('health') ? performance.now() - began : null;
	const answers: Answers = {
		at: timeNow(),
		trip,
		health: health?.[0],
		ports: await rows('counters'),
		tunnels: await rows('tunnels')
	};
	const { figures, counted: now } = figuresOf(counted.get(unitId) ?? null, answers);
	counted.set(unitId, now);
	await keepReading({ unitId, customerId, at: answers.at, figures });
	return 'It told how it does.';
}

/** Many at once: a minute brings thousands. */
const AT_ONCE = 2_000;

/** Keeps a reading; a second one of the same stretch adds to the first. */
const keepReading = grouped<UnitFigures, void>(
	BOOTSTRAP,
	async (all) => {
		await keepReadings(all);
		return all.map(() => undefined);
	},
	AT_ONCE
);

/** Writes readings, each unit's last of a stretch. Runs as BOOTSTRAP. */
export async function keepReadings(all: readonly UnitFigures[]): Promise<void> {
	const rows = new Map(
		all.map((one) => {
			const at = Math.floor(one.at / SLOT_MS) * SLOT_MS;
			const keys = Object.keys(one.figures).sort();
			const numbers = keys.map((key) => Math.fround(one.figures[key]!));
			return [`${one.unitId} ${at}`, { ...one, at, keys: keys.join('\n'), numbers }];
		})
	);
	const values = [...rows.values()];
	const sets = new Map([...new Set(values.map(({ keys }) => keys))].map((keys, at) => [keys, at + 1]));
	await database().transaction(async (trx) => {
		await trx.raw(
			`insert into health_reading (unit_id, customer_id, at, keys, figures)
			select unit_id, customer_id, to_timestamp(at / 1000.0), keys, figures::real[]
			from rows from (unnest(:units::uuid[], :customers::uuid[], :at::float8[], :sets::int[]), string_to_table(:figures, e'\\n'))
				r(unit_id, customer_id, at, set, figures) cross join lateral (select (:keys::text[])[set] as keys) k
			on conflict (unit_id, at) do update set (keys, figures) = (
				select coalesce(string_agg(key, e'\\n' order by key collate "C"), ''), coalesce(array_agg(value order by key collate "C"), '{}') from (
					select key, value from limen_moment(excluded.keys, excluded.figures)
					union all select key, value from limen_moment(health_reading.keys, health_reading.figures)
						where key <> all (string_to_array(excluded.keys, e'\\n'))
				) both_readings
			)`,
			{
				units: values.map(({ unitId }) => unitId),
				customers: values.map(({ customerId }) => customerId),
				at: values.map(({ at }) => at),
				// Units of a kind tell the same: their keys go once
				keys: [...sets.keys()],
				sets: values.map(({ keys }) => sets.get(keys)!),
				// One text: as an array each would be quoted here and read back there
				figures: values.map(({ numbers }) => `{${numbers.join()}}`).join('\n')
			}
		);
		await notifyEach(
			trx,
			'health',
			values.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
		);
	});
}
