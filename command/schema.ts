import { writeFileSync } from 'node:fs';
import knexFactory from 'knex';
import { drawSchema, ownerUrl } from '../src/lib/server/database';
import { currentSettings } from '../src/lib/server/settings';
import { migrate } from './cluster';
import { withCluster } from './running/keep';
import { say } from './problem';

const FILE = 'docs/schema.md';

/** Draws what the database holds, by its newest schema. */
export async function schema(): Promise<void> {
	const settings = currentSettings();
	await withCluster(settings, async () => {
		await migrate(settings);
		const knex = knexFactory({ client: 'pg', connection: ownerUrl(settings) });
		try {
			writeFileSync(FILE, await drawSchema(knex));
		} finally {
			await knex.destroy();
		}
	});
	say(`${FILE} is drawn anew.`);
}
