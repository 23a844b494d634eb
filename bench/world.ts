import { Agent, request } from 'node:http';
import { checkCharacter, readClaimCode } from '../src/core/intake';
import pg from 'pg';
import { database, ownerUrl } from '../src/lib/server/database';
import { v7 as uuid } from 'uuid';
import { beginSession } from '../src/lib/server/people/coming-in/sessions';
import { claimHash } from '../src/lib/server/keys';

/** Generated things for the benchmarks: never by hand, never in the demo. */
export interface BenchUnit {
	readonly serial: string;
	readonly claimCode: string;
}

let labels = 1_000_000;
/** A label that no other benchmark has: they run in one database. */
export function newLabel() {
	const number = labels++;
	const body = `OG2K${number}`;
	const hex = number.toString(16).padStart(8, '0');
	return {
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		mac: `02:00:${hex.match(/../g)!.join(':')}`,
		claimCode: `BENCH${number}`
	};
}

/** A customer with so many sites, each with one position and a unit bound to it, whose run has just begun. */
export async function customerWithRuns(
	name: string,
	count: number
): Promise<{ customerId: string; units: BenchUnit[] }> {
	const units = Array.from({ length: count }, newLabel);
	const rows = units.map(({ serial, claimCode }, index) => ({
		serial,
		hash: claimHash(readClaimCode(claimCode)!).toString('hex'),
		site: `${name} ${String(index + 1).padStart(5, '0')}`,
		values: {
			hostname: `b${index}-gw-1`,
			networks: '10.0.0.0/22'
		}
	}));
	const { rows: made } = await database().raw(
		`with wanted as materialized (
			select gen_random_uuid() as site_id, gen_random_uuid() as position_id, gen_random_uuid() as unit_id, gen_random_uuid() as run_id, w.*
			from jsonb_to_recordset(?::jsonb) as w(serial text, hash text, site text, values jsonb)
		), customer as (
			insert into customer (id, name) values (gen_random_uuid(), ?) returning id
		), sites as (
			insert into site (id, customer_id, name, time_zone, uplink) select site_id, customer.id, site, 'Pacific/Auckland', 'fibre' from wanted, customer returning id
		), positions as (
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select position_id, site_id, customer.id, 'gw-1', 'gateway', profile.id, wanted.values
			from wanted, customer, profile where profile.name = 'Clinic gateway' returning id
		), batches as (
			insert into batch (id, customer_id) select gen_random_uuid(), id from customer returning id
		), units as (
			insert into unit (id, serial, maker_id, model_id, customer_id, batch_id, line, claim_hash)
			select unit_id, serial, 'okapira', 'og-2', customer.id, batches.id, 1, decode(hash, 'hex') from wanted, customer, batches returning id
		), runs as (
			insert into run (id, unit_id, position_id, customer_id, number) select run_id, unit_id, position_id, customer.id, 1 from wanted, customer returning id
		), bindings as (
			insert into binding (position_id, unit_id, customer_id, model_id, role_id, run_id)
			select position_id, unit_id, customer.id, 'og-2', 'gateway', run_id from wanted, customer returning position_id
		)
		select (select id from customer) as customer_id, count(*) from bindings`,
		[JSON.stringify(rows), name]
	);
	await asOwner('analyze');
	return { customerId: made[0].customer_id, units };
}

/** A session of a new administrator; the token for the cookie. */
export async function administratorSession(): Promise<string> {
	const id = uuid();
	return database().transaction(async (trx) => {
		await trx('person').insert({ id, name: 'Bench', email: `${id}@bench.example`, administrator: true });
		return beginSession(trx, id, { address: '127.0.0.1', device: 'bench' });
	});
}

/** A session of somebody with a duty at one customer. */
export async function memberSession(customerId: string): Promise<string> {
	const id = uuid();
	return database().transaction(async (trx) => {
		await trx('person').insert({ id, name: 'Bench member', email: `${id}@bench.example` });
		await trx('membership').insert({ person_id: id, customer_id: customerId, duty: 'coordinator' });
		return beginSession(trx, id, { address: '127.0.0.1', device: 'bench' });
	});
}

/** One kept-alive connection for each unit that speaks. */
const agent = new Agent({ keepAlive: true, maxSockets: Infinity });

/** Sends one request and resolves with its status. */
export function send(url: string, unit: BenchUnit, body: string): Promise<number> {
	return new Promise((resolve, reject) => {
		const sent = request(
			url,
			{
				agent,
				method: 'POST',
				headers: {
					authorization: `Basic ${Buffer.from(`${unit.serial}:${unit.claimCode}`).toString('base64')}`,
					'content-type': 'application/yang-data+json',
					'content-length': Buffer.byteLength(body)
				}
			},
			(response) => {
				response.resume();
				response.on('end', () => resolve(response.statusCode ?? 0));
			}
		);
		sent.on('error', reject);
		sent.end(body);
	});
}

export const median = (values: readonly number[]): number =>
	[...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN;

/**
 * Times two pieces of work in turns, one right after the other, so that whatever else the machine does
 * meets both alike. Medians in milliseconds; the ratio is the median of the turns' ratios.
 */
export async function inTurns(
	turns: number,
	baseline: (turn: number) => unknown,
	measured: (turn: number) => unknown
) {
	const time = async (work: (turn: number) => unknown, turn: number) => {
		const start = performance.now();
		await work(turn);
		return performance.now() - start;
	};
	const pairs: [number, number][] = [];
	for (let turn = 0; turn < turns; turn++)
		pairs.push([await time(baseline, turn), await time(measured, turn)]);
	return {
		baseline: median(pairs.map(([one]) => one)),
		measured: median(pairs.map(([, other]) => other)),
		ratio: median(pairs.map(([one, other]) => other / one))
	};
}

export interface Figure {
	readonly name: string;
	readonly measured: string;
	readonly baseline: string;
	readonly result: string;
	readonly wanted: string;
	readonly held: boolean;
}

/** A statement past every wall, for what only a benchmark does. */
export async function asOwner(sql: string): Promise<pg.QueryResult> {
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	try {
		return await client.query(sql);
	} finally {
		await client.end();
	}
}
