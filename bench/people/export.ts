import { rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { ownerUrl } from '../../src/lib/server/database';
import { filesOf, readCatalogue, takeOut } from '../../src/lib/server/export';
import { customerWithRuns, inTurns, type Figure } from '../world';

const SITES = 500;
const TURNS = 5;
const MOST = 1.3;
const ROWS_AT_ONCE = 1_000;

/** Everything of a customer of 500 sites as a ZIP, beside the same queries alone. */
export async function benchExport(): Promise<Figure[]> {
	const name = 'Taken out';
	const { customerId } = await customerWithRuns(name, SITES);
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	const bare = async () => {
		await client.query('begin isolation level repeatable read');
		for (const [, sql] of await filesOf(client, await readCatalogue(client), customerId)) {
			await client.query(`declare reading no scroll cursor for ${sql}`);
			while (((await client.query(`fetch ${ROWS_AT_ONCE} from reading`)).rowCount ?? 0) > 0);
			await client.query('close reading');
		}
		await client.query('rollback');
	};
	const path = join(tmpdir(), `limen-bench-${process.pid}.zip`);
	const ours = async () => {
		const act = await takeOut(name, path, 'a passphrase of the bench');
		rmSync(path, { force: true });
		if (!act.ok) throw new Error(act.problem);
	};
	await bare();
	const { baseline, measured, ratio } = await inTurns(TURNS, bare, ours);
	await client.end();
	return [
		{
			name: `everything of a customer of ${SITES} sites as a ZIP`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms for its queries alone`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST} ×`,
			held: ratio <= MOST
		}
	];
}
