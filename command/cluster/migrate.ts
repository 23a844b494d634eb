import { fileURLToPath } from 'node:url';
import knexFactory, { type Knex } from 'knex';
import pg from 'pg';
import {
	applicationRole,
	closeDatabase,
	databaseName,
	keysProblem,
	ownerUrl
} from '../../src/lib/server/database';
import { claimKeyMark, secretKeyId } from '../../src/lib/server/keys';
import type { Settings } from '../../src/lib/server/settings';
import { Problem } from '../problem';
import { makeJobs } from './jobs';
import { DATABASE_ROLES, letIn, passwordFile } from './roles';
import { sealAnew } from './seal';

export const MIGRATIONS = fileURLToPath(new URL('../../migrations', import.meta.url));

/**
 * Makes the database when it is missing, brings it to the newest migration as its owner, and gives the
 * application a role of its own that can only become what the migrations allow it to be.
 */
export async function migrate(settings: Settings, { demo = false } = {}): Promise<void> {
	const url = ownerUrl(settings);
	await createDatabase(url);
	const owner = knexFactory({ client: 'pg', connection: url, pool: { min: 0, max: 1 } });
	try {
		await owner.migrate.latest({ directory: MIGRATIONS, loadExtensions: ['.ts'], extension: 'ts' });
		await registerKeys(owner, demo);
		await sealAnew(owner);
	} finally {
		await owner.destroy();
	}
	if (!settings.LIMEN_DATABASE_APPLICATION_URL)
		await letApplicationIn(url, passwordFile(settings, 'application.password'));
	await makeJobs(url, settings);
}

/** A database is bound to the keys it was made with, and is a demo from its birth or never. */
async function registerKeys(owner: Knex, demo: boolean): Promise<void> {
	const made = await owner('installation').first();
	const problem = made && keysProblem(made.claim_key_mark, made.secret_key_id);
	if (problem) throw new Problem(problem);
	if (!made)
		await owner('installation').insert({
			demo,
			claim_key_mark: claimKeyMark(),
			secret_key_id: secretKeyId()
		});
}

async function letApplicationIn(url: string, password: string): Promise<void> {
	const client = new pg.Client({ connectionString: url });
	await client.connect();
	try {
		const name = applicationRole(url);
		await letIn(client, name, password);
		await client.query(`grant ${DATABASE_ROLES.join(', ')} to ${client.escapeIdentifier(name)}`);
	} finally {
		await client.end();
	}
}

export async function createDatabase(url: string): Promise<void> {
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
	await client.query(`create database ${client.escapeIdentifier(databaseName(url))}`);
	await client.end();
}

export { closeDatabase };
