import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import knexFactory from 'knex';
import pg from 'pg';
import { databaseName, ownerUrl } from '../src/lib/server/database';
import { addSecretKey, secretKeyId } from '../src/lib/server/keys';
import { currentSettings, type Settings } from '../src/lib/server/settings';
import { createDatabase, DATABASE_ROLES, migrate, startCluster, stopCluster } from './cluster';
import { sealAnew } from './cluster/seal';
import { lockOwner } from './lock';
import { postgresPrograms } from './packages';
import { Problem, say } from './problem';

/** Keeping an installation: backup and restore, the ledger's proof, new keys. */

/** Runs with the cluster up, and leaves it as it was found. */
async function withCluster<Result>(settings: Settings, work: () => Promise<Result>): Promise<Result> {
	const running = lockOwner(settings) !== null;
	await startCluster(settings);
	try {
		return await work();
	} finally {
		if (!running) stopCluster(settings);
	}
}

// With another certificate than before, units that were made to trust it would not come in
const KEPT = ['claim.key', 'secret.keys', 'call-home.key', 'bootstrap.crt', 'bootstrap.key'];

/** The password goes by the environment: everybody on the machine can read a program's parameters. */
function runOnDatabase(
	program: 'pg_dump' | 'pg_restore',
	address: string,
	parameters: readonly string[]
): void {
	const url = new URL(address);
	const PGPASSWORD = decodeURIComponent(url.password);
	url.password = '';
	execFileSync(join(postgresPrograms(), program), ['--dbname', url.href, ...parameters], {
		stdio: 'inherit',
		env: { ...process.env, ...(PGPASSWORD && { PGPASSWORD }) }
	});
}

/** Writes database, keys and images to a folder. Works while the application runs: the dump is of one moment. */
export async function backup([folder]: readonly string[]): Promise<void> {
	if (!folder) throw new Problem('Say where to: ./limen backup FOLDER');
	const target = resolve(folder);
	if (existsSync(target) && readdirSync(target).length > 0)
		throw new Problem(`${target} is not empty; nothing was written.`);
	const settings = currentSettings();
	mkdirSync(join(target, 'keys'), { recursive: true, mode: 0o700 });
	await withCluster(settings, async () =>
		runOnDatabase('pg_dump', ownerUrl(settings), ['--format=custom', '--file', join(target, 'database.dump')])
	);
	for (const name of KEPT) {
		const key = join(settings.LIMEN_STATE_DIR, 'keys', name);
		if (existsSync(key)) cpSync(key, join(target, 'keys', name));
	}
	const images = join(settings.LIMEN_STATE_DIR, 'images');
	if (existsSync(images)) cpSync(images, join(target, 'images'), { recursive: true });
	say(
		`Written to ${target}: database.dump, keys and images. Whoever has this folder has everything: keep it closed.`
	);
}

/** Brings a backup back, into an installation that is empty. */
export async function restore([folder]: readonly string[]): Promise<void> {
	if (!folder || !existsSync(join(folder, 'database.dump')))
		throw new Problem('Say which backup: ./limen restore FOLDER');
	const settings = currentSettings();
	if (lockOwner(settings) !== null) throw new Problem('Limen runs here: stop it first with ./limen stop');
	await withCluster(settings, async () => {
		const url = ownerUrl(settings);
		await createDatabase(url);
		const client = new pg.Client({ connectionString: url });
		await client.connect();
		const { rows } = await client.query(
			`select count(*)::int as tables from pg_tables where schemaname = 'public'`
		);
		if (rows[0].tables > 0) {
			await client.end();
			throw new Problem(
				'There is an installation here already; nothing was changed. Restore into an empty one (./limen reset removes this one).'
			);
		}
		// The roles belong to the server, not to the database: the dump only names them
		for (const role of DATABASE_ROLES)
			await client.query(
				`do $$ begin if not exists (select from pg_roles where rolname = '${role}') then create role ${role} nologin; end if; end $$`
			);
		await client.end();
		for (const part of ['keys', 'images'])
			if (existsSync(join(folder, part)))
				cpSync(join(folder, part), join(settings.LIMEN_STATE_DIR, part), { recursive: true });
		runOnDatabase('pg_restore', url, [
			'--no-owner',
			'--exit-on-error',
			'--single-transaction',
			join(folder, 'database.dump')
		]);
		await migrate(settings);
	});
	say('Restored.');
}

/** Proves the ledger unbroken, or names the first entry that is not as it was written. */
export async function verifyLedger(): Promise<void> {
	const settings = currentSettings();
	const broken = await withCluster(settings, async () => {
		const client = new pg.Client({ connectionString: ownerUrl(settings) });
		await client.connect();
		try {
			return await firstBroken(client);
		} finally {
			await client.end();
		}
	});
	if (broken.problem) throw new Problem(broken.problem);
	say(`The ledger is unbroken: ${broken.entries} entries, each chained to the one before it.`);
}

/** Recomputes every hash from the one before it; also finds entries that are missing, within and at the end. */
export async function firstBroken(client: pg.Client): Promise<{ entries: number; problem: string | null }> {
	const { rows } = await client.query(
		`with chained as (
			select e.id, row_number() over (order by e.id) as place, e.hash,
				ledger_hash(lag(e.hash, 1, decode(repeat('00', 32), 'hex')) over (order by e.id), e) as expected
			from ledger_entry e
		)
		select (select count(*)::int from chained) as entries,
			(select jsonb_build_object('id', id, 'place', place) from chained where id <> place or hash <> expected order by id limit 1) as broken,
			(select head.id = coalesce((select max(id) from chained), 0) and head.hash = coalesce((select hash from chained order by id desc limit 1), head.hash)
				from ledger_head head) as ends`
	);
	const [{ entries, broken, ends }] = rows as [
		{ entries: number; broken: { id: number; place: number } | null; ends: boolean }
	];
	if (broken)
		return {
			entries,
			problem:
				broken.id === broken.place
					? `The ledger is broken at entry ${broken.id}: it is not as it was written, or the one before it is not.`
					: `The ledger is broken at entry ${broken.place}: it is missing.`
		};
	return {
		entries,
		problem: ends ? null : `The ledger is broken at entry ${entries + 1}: the end was cut off.`
	};
}

/** Adds a new key for secrets and seals everything with it. The application reads the ring at its next start. */
export async function rotateKey(): Promise<void> {
	const settings = currentSettings();
	if (lockOwner(settings) !== null) throw new Problem('Limen runs here: stop it first with ./limen stop');
	await withCluster(settings, async () => {
		const owner = knexFactory({ client: 'pg', connection: ownerUrl(settings), pool: { min: 0, max: 1 } });
		try {
			addSecretKey();
			const count = await sealAnew(owner);
			await owner('installation').update({ secret_key_id: secretKeyId() });
			say(
				`A new key is in use; ${count} secrets of ${databaseName(ownerUrl(settings))} were sealed with it. Back up the keys.`
			);
		} finally {
			await owner.destroy();
		}
	});
}
