import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type pg from 'pg';
import type { Settings } from '../../src/lib/server/settings';

/** The roles are those of migrations 08, 16 and 30. */
export const DATABASE_ROLES = [
	'limen_people',
	'limen_bootstrap',
	'limen_sign_in',
	'limen_registry',
	'limen_clean_up',
	'limen_setup'
];

/** A role's password; written before the role has it, so that a kill in between leaves nothing that does not fit. */
export function passwordFile(settings: Settings, name: string): string {
	const folder = join(settings.LIMEN_STATE_DIR, 'keys');
	const path = join(folder, name);
	mkdirSync(folder, { recursive: true, mode: 0o700 });
	if (!existsSync(path)) writeFileSync(path, randomBytes(24).toString('base64url'), { mode: 0o600 });
	return readFileSync(path, 'utf8').trim();
}

/** Makes a role that may log in and nothing more, or gives it its password anew. */
export async function letIn(client: pg.Client, name: string, password: string): Promise<void> {
	const { rowCount } = await client.query('select from pg_roles where rolname = $1', [name]);
	await client.query(
		`${rowCount ? 'alter' : 'create'} role ${client.escapeIdentifier(name)} login noinherit nosuperuser nocreatedb nocreaterole nobypassrls password ${client.escapeLiteral(password)}`
	);
}
