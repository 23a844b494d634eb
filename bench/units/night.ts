import { once } from 'node:events';
import { setTimeout as sleep } from 'node:timers/promises';
import { startApplication } from '../../command/limen';
import { database, enqueue } from '../../src/lib/server/database';
import { currentSettings } from '../../src/lib/server/settings';
import { asOwner, type Figure } from '../world';
import { dialAll, fleetOf } from './connections';
import { databaseSeconds, processorSeconds } from './processor';

const UNITS = Number(process.env.LIMEN_BENCH_UNITS ?? 5_000);
const MINUTES = Number(process.env.LIMEN_BENCH_MINUTES ?? 15);
const MOST_CORES = 0.5;
/** What comes once an hour, or less often, comes once while it is measured. */
const RARE = [
	'gather how units do',
	'keep how units do',
	'count who is behind',
	'count findings',
	'count cohorts',
	'look at replacements',
	'let old versions go',
	'destroy what is over',
	'clean up'
] as const;

/**
 * Units that are all connected on the night on which each is read: their configurations are read, kept and held against what is
 * intended, how they do is asked each five minutes, what is normal is learnt, alerts are looked for, and all is cleaned up, at the
 * pace of every day. What application and database need of the processor meanwhile.
 */
export async function benchNight(): Promise<Figure[]> {
	const { customerId, hostKeys } = await fleetOf('Night', UNITS);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const diallers = await dialAll('diallers', currentSettings().LIMEN_CALL_HOME_PORT, hostKeys);
	const counted = async (what: string): Promise<number> =>
		(await asOwner(`select count(*)::int as count from ${what}`)).rows[0].count;
	const connected = () => counted(`unit_connection where ended_at is null and customer_id = '${customerId}'`);
	while ((await connected()) < UNITS) await sleep(200);

	const { rows } = await database().raw('select pg_backend_pid() as pid');
	const used = () => [processorSeconds(application.pid!), databaseSeconds(rows[0].pid)] as const;
	const from = performance.now();
	const first = used();
	await database().transaction(async (trx) => {
		for (const task of RARE) await enqueue(trx, task, {}, { key: `night ${task}` });
	});
	let highest = 0;
	let last = first;
	for (let minute = 0; minute < MINUTES; minute++) {
		const began = performance.now();
		await sleep(60_000);
		const now = used();
		const spent = now[0] + now[1] - last[0] - last[1];
		highest = Math.max(highest, spent / ((performance.now() - began) / 1_000));
		last = now;
	}
	const seconds = (performance.now() - from) / 1_000;
	const [ours, theirs] = [(last[0] - first[0]) / seconds, (last[1] - first[1]) / seconds];
	const read = await counted(
		`(select distinct unit_id from archive_version where customer_id = '${customerId}') u`
	);
	const told = await counted(`health_reading where customer_id = '${customerId}'`);
	const still = await connected();
	diallers.kill('SIGTERM');
	application.kill('SIGTERM');
	await once(application, 'exit');
	const cores = ours + theirs;
	return [
		{
			name: `${UNITS} units connected on the night on which ${read} of them are read: processor of application and database`,
			measured: `${ours.toFixed(2)} + ${theirs.toFixed(2)} of a core over ${MINUTES} minutes, ${highest.toFixed(2)} in the highest; ${told} times told how they do, ${still} still connected`,
			baseline: 'one core',
			result: `${cores.toFixed(2)} of a core`,
			wanted: `at most ${MOST_CORES} of a core`,
			held: cores <= MOST_CORES && still === UNITS && read > 0 && told > 0
		}
	];
}
