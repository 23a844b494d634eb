import { once } from 'node:events';
import { Readable } from 'node:stream';
import { setTimeout as sleep } from 'node:timers/promises';
import { v7 as uuid } from 'uuid';
import { startApplication } from '../../command/limen';
import { USUAL_RULES } from '../../src/core/rollout';
import { database } from '../../src/lib/server/database';
import { findImage, uploadImage } from '../../src/lib/server/firmware';
import { LIMEN } from '../../src/lib/server/ledger';
import { beginRollout, draftRollout, rolloutById } from '../../src/lib/server/rollout';
import { currentSettings } from '../../src/lib/server/settings';
import { newHostKey } from '../../standins/units/home';
import { dialAll, keepHostKeys } from './connections';
import { asOwner, customerWithRuns, type Figure } from '../world';

const UNITS = Number(process.env.LIMEN_BENCH_UNITS ?? 2_000);
const AT_ONCE = 100;
const LEAST_USED = 0.95;
const [FROM, TO] = ['7.0.3', '7.9.0'];
const PATIENCE_MS = 45 * 60_000;

/**
 * A firmware rollout of 2,000 units that are connected, through the whole application: each fetches its image, restarts for 5
 * to 15 seconds and comes back. What is measured is how much of the allowed concurrency is in use, from when it was reached
 * until nothing waits any more; its baseline is all of it.
 */
export async function benchFleet(): Promise<Figure[]> {
	if (!(await findImage('okapira-og', TO)))
		await uploadImage(
			{
				firmwareLine: 'okapira-og',
				version: TO,
				fileName: 'a.bin',
				content: Readable.from([Buffer.alloc(100_000, 7)])
			},
			LIMEN
		);
	const { customerId } = await customerWithRuns('Flashed', UNITS);
	await asOwner(
		`begin; set local session_replication_role = replica;
		update run set outcome = 'through', step = 'online', ended_at = now() where customer_id = '${customerId}'; commit`
	);
	await database()('unit').where({ customer_id: customerId }).update({ reported_version: FROM });
	const units: string[] = await database()('unit').where({ customer_id: customerId }).pluck('id');
	const hostKeys = units.map(newHostKey);
	await keepHostKeys(customerId, units, hostKeys);
	const personId = uuid();
	await database()('person').insert({ id: personId, name: 'Bench', email: `${personId}@bench.example` });
	await database()('membership').insert({ person_id: personId, customer_id: customerId, duty: 'engineer' });
	const actor = { name: 'Bench', address: null, personId, may: () => true };
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const flashers = await dialAll('flashers', currentSettings().LIMEN_CALL_HOME_PORT, hostKeys, {
		version: FROM
	});
	const drafted = await draftRollout({ kind: 'firmware', whom: { units }, wanted: TO }, actor);
	if (!drafted.ok) throw new Error(drafted.problem);
	const { id } = drafted.done;
	const rules = {
		...USUAL_RULES,
		limits: { ...USUAL_RULES.limits, all: AT_ONCE, perCustomer: AT_ONCE },
		// One wave: between waves what is left of one is waited for, which is no fault of the engine
		waves: { growth: 1, sizes: [UNITS] }
	};
	const begun = await beginRollout(id, { title: 'Bench', rules, units: units.length, asked: false }, actor);
	if (!begun.ok) throw new Error(begun.problem);
	const until = Date.now() + PATIENCE_MS;
	while ((await rolloutById(id))!.state === 'under way' && Date.now() < until) await sleep(1000);
	const rollout = (await rolloutById(id))!;
	const used = await usedShare(id);
	flashers.kill('SIGTERM');
	application.kill('SIGTERM');
	await once(application, 'exit');
	return [
		{
			name: `A firmware rollout of ${UNITS} stand-ins, ${AT_ONCE} at once: share of what is allowed that is in use`,
			measured: `${(used.share * 100).toFixed(1)} % over ${used.seconds.toFixed(0)} s, ${rollout.done} done, ${rollout.failed} failed, ${used.median.toFixed(1)} s each`,
			baseline: '100 %',
			result: `${used.share.toFixed(2)}×`,
			wanted: `at least ${LEAST_USED}×`,
			held: used.share >= LEAST_USED && rollout.done === UNITS
		}
	];
}

/** Of the time between the moment at which as many as allowed were begun and the last beginning, how much of them was in use. */
async function usedShare(id: string): Promise<{ share: number; seconds: number; median: number }> {
	const { rows } = await database().raw(
		`with spans as (select begun_at, ended_at, row_number() over (order by begun_at) as place from rollout_item where rollout_id = :id and begun_at is not null),
			measured as (select max(begun_at) filter (where place = :atOnce) as from, max(begun_at) as until from spans)
		select extract(epoch from until - "from")::float8 as seconds,
			(select sum(extract(epoch from least(ended_at, until) - greatest(begun_at, "from"))) from spans where ended_at > "from" and begun_at < until)::float8 as used,
			(select percentile_cont(0.5) within group (order by extract(epoch from ended_at - begun_at)) from spans)::float8 as median
		from measured`,
		{ id, atOnce: AT_ONCE }
	);
	const { seconds, used, median } = rows[0];
	return { share: used / (seconds * AT_ONCE), seconds, median };
}
