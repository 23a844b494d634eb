import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { closeDatabase, database, databaseUrl } from '../../src/lib/server/database';
import type { Settings } from '../../src/lib/server/settings';
import { Problem } from '../problem';

const MIGRATIONS = fileURLToPath(new URL('../../migrations', import.meta.url));

/** Makes the database when it is missing and brings it to the newest migration. */
export async function migrate(settings: Settings): Promise<void> {
	await createDatabase(databaseUrl(settings));
	await database().migrate.latest({ directory: MIGRATIONS, loadExtensions: ['.ts'], extension: 'ts' });
}

async function createDatabase(url: string): Promise<void> {
	const name = decodeURIComponent(new URL(url).pathname.slice(1)) || 'limen';
	const direct = new pg.Client({ connectionString: url });
	try {
		await direct.connect();
		return await direct.end();
	} catch (error) {
		// 3D000: there is no such database yet
		if ((error as { code?: string }).code !== '3D000')
			throw new Problem(`The database cannot be reached: ${(error as Error).message}`);
	}
	const maintenance = new URL(url);
	maintenance.pathname = '/postgres';
	const client = new pg.Client({ connectionString: maintenance.href });
	await client.connect();
	await client.query(`create database ${client.escapeIdentifier(name)}`);
	await client.end();
}

export { closeDatabase };
