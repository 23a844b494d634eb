import { setTimeout as sleep } from 'node:timers/promises';
import type { Installation } from '../installation/installation';
import type { Fleet } from './fleet';
import type { People } from './people';

const SETTLE_MS = 5 * 60_000;
/** A unit that is on its way is there sooner. */
const STANDS_STILL_MS = 60_000;

/** What a soak found wrong, in words; empty when stand-ins, database and ledger agree. */
export async function check(here: Installation, fleet: Fleet, people: People): Promise<string[]> {
	const { batches, binds, unbinds, proofs, sends, unheardSends, bound } = people.acknowledged;
	const faults: string[] = [];
	const expectNone = async (words: string, sql: string, values: unknown[] = []) => {
		for (const row of await here.query<object>(sql, values)) faults.push(`${words}: ${JSON.stringify(row)}`);
	};
	const expectCount = async (words: string, wanted: number, sql: string, values: unknown[] = []) => {
		const [row] = await here.query<{ count: number }>(`select count(*)::int as count from ${sql}`, values);
		if (row!.count !== wanted) faults.push(`${words}: ${row!.count} instead of ${wanted}`);
	};
	await settled(here, people);
	await expectNone(
		'A unit that is well is not online',
		`select site_name as site, position_name as position, serial, standing, words from (
			select site.name as site_name, position.name as position_name, unit.serial, stands.standing, run.failure_words as words
			from binding join position on position.id = binding.position_id join site on site.id = position.site_id
			join unit on unit.id = binding.unit_id join run on run.id = binding.run_id
			cross join lateral (select standing from position_standing s where s.position_id = position.id offset 0) stands
		) one where standing <> 'online'`
	);
	await expectNone(
		'An errand is neither done nor over',
		`select kind, state, asked_at from errand where state in ('waiting', 'under way') and asked_at < now() - interval '1 minute'`
	);
	await expectNone('Long work is not over', `select kind, state from long_work where ended_at is null`);
	await expectNone('A send is not over', `select unit_id, state from send where ended_at is null`);
	await expectNone('A proof is not over', `select site_id from site_proof where state = 'open'`);
	await expectNone(
		'A job was given up',
		`select task_identifier, last_error from limen_jobs.jobs where attempts >= max_attempts and locked_at is null`
	);
	await expectNone(
		'A unit has two connections',
		`select unit_id, count(*) from unit_connection where ended_at is null group by 1 having count(*) > 1`
	);
	await expectCount('Batches that were acknowledged', batches.length, 'batch where id = any ($1::uuid[])', [
		batches
	]);
	await expectCount('Batches in all', batches.length, 'batch');
	await expectCount('Claims in the ledger', batches.length, `ledger_entry where act = 'claim'`);
	await expectCount('Units', fleet.labels.length, 'unit');
	await expectCount('Bindings in the ledger', binds, `ledger_entry where act = 'bind'`);
	await expectCount('Ends of bindings in the ledger', unbinds, `ledger_entry where act = 'unbind'`);
	await expectCount('Proofs in the ledger', proofs, `ledger_entry where act = 'prove site'`);
	const [sent] = await here.query<{ count: number }>('select count(*)::int as count from send');
	if (sent!.count < sends || sent!.count > sends + unheardSends)
		faults.push(`${sent!.count} sends instead of ${sends}, and ${unheardSends} of which nobody heard`);
	const now = await here.query<{ id: string; serial: string }>(
		'select position_id as id, serial from binding join unit on unit.id = unit_id'
	);
	const serials = new Map(now.map(({ id, serial }) => [id, serial]));
	for (const [id, { label }] of bound)
		if (serials.get(id) !== label.serial)
			faults.push(`At a position stands ${serials.get(id) ?? 'nothing'} instead of ${label.serial}`);
	if (serials.size !== bound.size)
		faults.push(`${serials.size} positions are bound instead of ${bound.size}`);
	const compared = here.run('tests/soak/compare.ts', fleet.flash);
	if (compared.status !== 0)
		faults.push(`What units run could not be compared: ${compared.stderr.slice(-1_000)}`);
	faults.push(...compared.stdout.split('\n').filter(Boolean));
	const ledger = here.limen('verify-ledger');
	if (ledger.status !== 0) faults.push(`The ledger: ${ledger.stdout}${ledger.stderr}`);
	return faults;
}

/**
 * Waits for what still moves, and has a person help those that stand still; what does not come to rest is told by the checks.
 * A job without a key and without further tries was replaced by another while it was under way, and is forgotten in a moment.
 */
async function settled(here: Installation, people: People): Promise<void> {
	const from = Date.now();
	let isHelped = false;
	while (Date.now() < from + SETTLE_MS) {
		const [row] = await here
			.query<{ moving: number; standing_still: string[] }>(
				`with astray as (
					select binding.position_id as id from binding
					cross join lateral (select standing from position_standing s where s.position_id = binding.position_id offset 0) stands
					where standing <> 'online'
				)
				select (select count(*) from errand where state in ('waiting', 'under way'))::int
					+ (select count(*) from send where ended_at is null)::int + (select count(*) from site_proof where state = 'open')::int
					+ (select count(*) from long_work where ended_at is null)::int + (select count(*) from astray)::int
					+ (select count(*) from limen_jobs.jobs where attempts >= max_attempts and key is null)::int as moving,
					array(select id from astray) as standing_still`
			)
			.catch(() => [{ moving: 1, standing_still: [] }]);
		if (row!.moving === 0) return;
		if (!isHelped && Date.now() > from + STANDS_STILL_MS) {
			isHelped = true;
			for (const id of row!.standing_still) await people.help(id);
		}
		await sleep(500);
	}
}
