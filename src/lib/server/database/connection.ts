import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import knexFactory, { type Knex } from 'knex';
import { currentSettings, type Settings } from '../settings';
import { WalledClient } from './walled-client';

const keyFile = (settings: Settings, name: string) =>
	readFileSync(join(settings.LIMEN_STATE_DIR, 'keys', name), 'utf8').trim();

/** The owner's way in, for migrations alone: the address given, or the private cluster's. */
export function ownerUrl(settings: Settings = currentSettings()): string {
	if (settings.LIMEN_DATABASE_URL) return settings.LIMEN_DATABASE_URL;
	return `postgres://limen:${keyFile(settings, 'database.password')}@127.0.0.1:${settings.LIMEN_DATABASE_PORT}/limen`;
}

/** The application's own role in that database; it owns nothing and is behind every wall. */
export const applicationRole = (owner: string): string =>
	`${databaseName(owner)}_application`.toLowerCase().slice(-63);
export const databaseName = (url: string): string =>
	decodeURIComponent(new URL(url).pathname.slice(1)) || 'limen';

/** The application's way in: the address given, or the owner's with a role and password of its own. */
export function databaseUrl(settings: Settings = currentSettings()): string {
	if (settings.LIMEN_DATABASE_APPLICATION_URL) return settings.LIMEN_DATABASE_APPLICATION_URL;
	const url = new URL(ownerUrl(settings));
	url.username = applicationRole(url.href);
	url.password = keyFile(settings, 'application.password');
	return url.href;
}

/** The queue's schema, and the role that owns it: it sees nothing else of the database. */
export const JOBS_SCHEMA = 'limen_jobs';
/** So often a job that somebody asked for is tried before a person is told; those by the clock have another number of tries. */
export const MOST_ATTEMPTS = 12;
export const jobsRole = (owner: string): string => `${databaseName(owner)}_jobs`.toLowerCase().slice(-63);

/** The queue's way in: the address given, or the owner's with a role and password of its own. */
export function jobsUrl(settings: Settings = currentSettings()): string {
	if (settings.LIMEN_DATABASE_JOBS_URL) return settings.LIMEN_DATABASE_JOBS_URL;
	const url = new URL(ownerUrl(settings));
	url.username = jobsRole(url.href);
	url.password = keyFile(settings, 'jobs.password');
	return url.href;
}

let knex: Knex | undefined;
const IDLE_MS = 15 * 60_000;

/** The process's one Knex instance; it works for whoever `identity` names. */
export function database(): Knex {
	return (knex ??= knexFactory({
		client: WalledClient as unknown as typeof Knex.Client,
		connection: {
			connectionString: databaseUrl(),
			application_name: 'limen',
			// Compiling a statement over many rows took ten times as long as running it
			options: '-c jit=off'
		},
		// A new connection plans its first statements twice as slowly: after a lull it is still there
		pool: { min: 0, max: currentSettings().LIMEN_DATABASE_POOL, idleTimeoutMillis: IDLE_MS },
		acquireConnectionTimeout: 15_000,
		// An error names the statement with its holes, not with what filled them: errors are logged
		compileSqlOnError: false
	}));
}

export async function closeDatabase(): Promise<void> {
	const open = knex;
	knex = undefined;
	await open?.destroy();
}

/** Whether an error is PostgreSQL's refusal of a duplicate, a missing reference or a broken rule. */
export const isRefusal = (error: unknown): error is Error & { code: string; constraint?: string } =>
	error instanceof Error && /^23/.test((error as { code?: string }).code ?? '');
