import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { Installation } from './installation';
import { planted } from './planted';

/** Work on many things, whose process is killed with -9 in the middle. */
describe('long work of an installation of its own', () => {
	const UNITS = 400;
	let here: Installation;
	let cookie: string;
	let units: readonly string[];

	before(async () => {
		here = await Installation.create();
		await here.start();
		const world = await planted(here);
		cookie = world.cookie;
		const rows = await here.query<{ unit: string }>(
			`with wanted as materialized (
				select n, gen_random_uuid() as site, gen_random_uuid() as position, gen_random_uuid() as unit, gen_random_uuid() as run
				from generate_series(1, $2::int) n
			), sites as (
				insert into site (id, customer_id, name, time_zone, uplink) select site, $1::uuid, 'Long site ' || n, 'Pacific/Auckland', 'fibre' from wanted
			), positions as (
				insert into position (id, site_id, customer_id, name, role_id, profile_id)
				select position, site, $1::uuid, 'gw-1', 'gateway', profile.id from wanted, profile where profile.name = 'Clinic gateway'
			), batches as (
				insert into batch (id, customer_id) values (gen_random_uuid(), $1::uuid) returning id
			), units as (
				insert into unit (id, serial, maker_id, model_id, customer_id, batch_id, line, claim_hash)
				select unit, 'OG2K' || lpad(n::text, 8, '0'), 'okapira', 'og-2', $1::uuid, batches.id, n, sha256(n::text::bytea) from wanted, batches
			), runs as (
				insert into run (id, unit_id, position_id, customer_id, number) select run, unit, position, $1::uuid, 1 from wanted
			)
			insert into binding (position_id, unit_id, customer_id, model_id, role_id, run_id)
			select position, unit, $1::uuid, 'og-2', 'gateway', run from wanted returning unit_id as unit`,
			[world.customerId, UNITS]
		);
		units = rows.map(({ unit }) => unit);
		await here.query(
			`update run set outcome = 'failed', failure_step = 'configuration', failure_kind = 'config-error', failure_words = 'no', ended_at = now()`
		);
	});
	after(() => here.remove());

	const work = async () =>
		(
			await here.query<{ state: string; done: number; failed: number; fence: number }>(
				'select state, done, failed, fence from long_work'
			)
		)[0];

	it('goes on where it was, and does nothing twice', async () => {
		const form = new URLSearchParams(units.map((unit): [string, string] => ['unit', unit]));
		const begun = await fetch(here.url('/units?/retry'), {
			method: 'POST',
			body: form,
			headers: { origin: here.url(''), cookie, accept: 'application/json', 'x-sveltekit-action': 'true' }
		});
		expect(await begun.text()).to.include(`${UNITS} units may try again`);
		// Another process's work: there is nothing to wait on
		while (((await work())?.done ?? 0) < UNITS / 8) await sleep(2);
		await here.killApplication();
		const cut = await work();
		expect(cut).to.include({ state: 'under way', failed: 0 });
		expect(cut!.done).to.be.lessThan(UNITS);
		await here.start();
		while ((await work())!.state === 'under way') await sleep(50);
		expect(await work()).to.include({ state: 'done', done: UNITS, failed: 0 });
		expect((await work())!.fence).to.be.at.least(2);
		const runs = await here.query<{ runs: number; units: number }>(
			`select runs, count(*)::int as units from (select count(*)::int as runs from run group by unit_id) per group by runs`
		);
		expect(runs).to.deep.equal([{ runs: 2, units: UNITS }]);
		const acts = await here.query<{ count: number }>(
			`select count(*)::int as count from ledger_entry where act = 'retry'`
		);
		expect(acts[0]!.count).to.equal(UNITS);
	});
});
