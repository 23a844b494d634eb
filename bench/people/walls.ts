import { Agent, request } from 'node:http';
import { startApplication } from '../../command/limen';
import { database } from '../../src/lib/server/database';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import {
	asOwner,
	customerWithRuns,
	median,
	memberSession,
	send,
	type BenchUnit,
	type Figure
} from '../world';

/**
 * What the walls cost: row-level security and the session check together, against the same running
 * application with both switched off. They are switched off in the database of the bench, so that the
 * product has no such switch: every policy is disabled, and the look-up of a session answers at once with
 * a constant. What remains in the baseline, the empty round trips themselves, is measured and added.
 */
const TURNS = 7;
const PAGES_A_TURN = 40;
const UNITS_A_TURN = 60;
const AT_ONCE = 8;
const MOST_COST = 0.15;
const INPUT = 'ietf-sztp-bootstrap-server:input';

async function switchedOff(constant: { person: string; session: string; customer: string }) {
	const { rows: tables } = await asOwner(
		`select relname as name from pg_class where relrowsecurity and relnamespace = 'public'::regnamespace`
	);
	const { rows: functions } = await asOwner(`select pg_get_functiondef('limen_session'::regproc) as session`);
	const every = (what: 'enable' | 'disable') =>
		asOwner(tables.map(({ name }) => `alter table "${name}" ${what} row level security`).join(';'));
	return {
		off: async () => {
			await every('disable');
			await asOwner(`create or replace function limen_session(hash bytea)
				returns table (session_id uuid, person_id uuid, name text, email text, administrator boolean, confirmed_at timestamptz, duties jsonb)
				language sql as $$ select '${constant.session}'::uuid, '${constant.person}'::uuid, 'Bench'::text, ''::text, false, now(),
					'{"${constant.customer}":"coordinator"}'::jsonb $$`);
		},
		on: async () => {
			await every('enable');
			await asOwner(functions[0].session);
		}
	};
}

/** Works through so many pieces, some at once; pieces per second. */
async function rate(count: number, work: (index: number) => Promise<void>): Promise<number> {
	const start = performance.now();
	let next = 0;
	await Promise.all(
		Array.from({ length: AT_ONCE }, async () => {
			while (next < count) await work(next++);
		})
	);
	return count / ((performance.now() - start) / 1000);
}

const agent = new Agent({ keepAlive: true });
const fetchRows = (cookie: string) =>
	new Promise<void>((resolve, reject) => {
		request(`${publicUrl(currentSettings())}/arrivals/rows`, { agent, headers: { cookie } }, (response) => {
			response.resume();
			response.on('end', () =>
				response.statusCode === 200 ? resolve() : reject(new Error(String(response.statusCode)))
			);
		})
			.on('error', reject)
			.end();
	});

const operations = `/restconf/operations/ietf-sztp-bootstrap-server:`;
async function bootstrap(unit: BenchUnit): Promise<void> {
	const base = publicUrl(currentSettings()) + operations;
	const statuses = [await send(`${base}get-bootstrapping-data`, unit, '')];
	for (const type of ['bootstrap-initiated', 'parsing-complete', 'config-complete'])
		statuses.push(
			await send(`${base}report-progress`, unit, JSON.stringify({ [INPUT]: { 'progress-type': type } }))
		);
	if (statuses.some((status) => status >= 300)) throw new Error(`Refused: ${statuses.join()}`);
}

export async function benchWalls(): Promise<Figure[]> {
	const { customerId, units } = await customerWithRuns('Walls', UNITS_A_TURN * (2 * TURNS + 2));
	const session = await memberSession(customerId);
	const { rows } = await asOwner(
		`select id, person_id from session where person_id in (select person_id from membership where customer_id = '${customerId}')`
	);
	const walls = await switchedOff({ person: rows[0].person_id, session: rows[0].id, customer: customerId });
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	try {
		let used = 0;
		const works: Record<string, () => Promise<number>> = {
			'the Arrivals data': () => rate(PAGES_A_TURN, () => fetchRows(`limen_session=${session}`)),
			bootstrap: () => rate(UNITS_A_TURN, () => bootstrap(units[used++]!))
		};
		const figures: Figure[] = [];
		for (const [name, work] of Object.entries(works)) {
			await work();
			const pairs: [open: number, walled: number][] = [];
			for (let turn = 0; turn < TURNS; turn++) {
				await walls.off();
				const open = await work();
				await walls.on();
				pairs.push([open, await work()]);
			}
			const [open, walled] = [median(pairs.map(([one]) => one)), median(pairs.map(([, other]) => other))];
			// People’s requests have a round trip for the session, which stays in the baseline; units’ have none
			const trip = name === 'bootstrap' ? 0 : await roundTripSeconds();
			const cost = 1 - median(pairs.map(([one, other]) => other / (1 / (1 / one - trip))));
			figures.push({
				name: `Row-level security and the session check, on ${name}`,
				measured: `${walled.toFixed(0)} a second`,
				baseline: `${open.toFixed(0)} a second with both switched off${trip ? `, ${(trip * 1000).toFixed(2)} ms for the empty round trip taken off` : ''}`,
				result: cost < 0 ? `${(-cost * 100).toFixed(1)} % faster` : `${(cost * 100).toFixed(1)} % slower`,
				wanted: 'at most 15 %',
				held: cost <= MOST_COST
			});
		}
		return figures;
	} finally {
		await walls.on();
		application.kill('SIGTERM');
	}
}

/** How long the database takes to answer nothing. */
async function roundTripSeconds(): Promise<number> {
	const times: number[] = [];
	for (let turn = 0; turn < 200; turn++) {
		const start = performance.now();
		await database().raw('select 1');
		times.push(performance.now() - start);
	}
	return median(times) / 1000;
}
