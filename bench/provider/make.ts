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
 * A provider of that size with its history, made with few statements past every wall, added to what is there. `told` is called
 * after each part with its name and how long it took, in seconds.
 */
export async function makeProvider(
	name: string,
	size: Size,
	told: (part: string, seconds: number) => void = () => undefined
): Promise<void> {
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	const sealed = seal(TEXT);
	const parts: readonly [string, boolean, () => Promise<void>][] = [
		['plan', true, () => makePlan(client, name, size, sealed)],
		['life', true, () => makeLife(client, size, sealed, TEXT)],
		['health', true, () => makeHealth(client, size)],
		['ledger', false, () => makeLedger(client)]
	];
	try {
		for (const [part, pastTriggers, make] of parts) {
			const begun = performance.now();
			await client.query(
				`set session_replication_role = ${pastTriggers ? 'replica' : 'origin'}; set synchronous_commit = off; set work_mem = '256MB'`
			);
			await make();
			told(part, (performance.now() - begun) / 1000);
		}
		await client.query('vacuum analyze');
	} finally {
		await client.end();
	}
}
