import pg from 'pg';
import { ownerUrl } from '../../src/lib/server/database';
import { seal } from '../../src/lib/server/keys';
import { makeHealth } from './health';
import { makeLedger, makeLife } from './life';
import { makePlan } from './plan';
import type { Size } from './size';

/** What each unit runs: some 120 lines. */
const TEXT = Array.from(
	{ length: 30 },
	(_, at) => `port lan${at} {\n\tdescription "Room ${at}";\n\tvlan ${100 + at};\n}`
).join('\n');

/**
 * A provider of that size with its history, made with few statements past every wall, added to what is there: how units did beside
 * everything else, each over a connection of its own. `told` is called after each part with its name and how long it took, in
 * seconds.
 */
export async function makeProvider(
	name: string,
	size: Size,
	told: (part: string, seconds: number) => void = () => undefined
): Promise<void> {
	const sealed = seal(TEXT);
	const [client, other] = [await connected(), await connected()];
	const make = async (part: string, how: () => Promise<unknown>): Promise<void> => {
		const begun = performance.now();
		await how();
		told(part, (performance.now() - begun) / 1000);
	};
	try {
		await make('plan', () => makePlan(client, name, size, sealed));
		const { rows } = await client.query('select id, customer_id as "customerId", n from made_online');
		await Promise.all([
			make('health', () => makeHealth(other, size, rows)),
			make('life', () => makeLife(client, size, sealed, TEXT)).then(async () => {
				// The ledger's own triggers make its chain
				await client.query('set session_replication_role = origin');
				await make('ledger', () => makeLedger(client));
			})
		]);
		await make('vacuum', () => client.query('vacuum analyze'));
	} finally {
		await Promise.all([client.end(), other.end()]);
	}
}

/** What it writes wakes no trigger, and waits for no disk. */
async function connected(): Promise<pg.Client> {
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	await client.query(
		"set session_replication_role = replica; set synchronous_commit = off; set work_mem = '256MB'"
	);
	return client;
}
