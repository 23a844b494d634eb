import { execFileSync } from 'node:child_process';
import {
	chmodSync,
	cpSync,
	existsSync,
	mkdirSync,
	readdirSync,
	readFileSync,
	statSync,
	writeFileSync
} from 'node:fs';
import { join, resolve } from 'node:path';
import knexFactory from 'knex';
import pg from 'pg';
import { databaseName, JOBS_SCHEMA, ownerUrl } from '../../src/lib/server/database';
import { addSecretKey, secretKeyId } from '../../src/lib/server/keys';
import { readHead, writeHead, type Head } from '../../src/lib/server/ledger';
import { currentSettings, type Settings } from '../../src/lib/server/settings';
import { createDatabase, DATABASE_ROLES, migrate, startCluster, stopCluster } from '../cluster';
import { sealAnew } from '../cluster/seal';
import { lockOwner } from './lock';
import { postgresPrograms } from '../packages';
import { Problem, say } from '../problem';

/** Keeping an installation: backup and restore, the ledger's proof, new keys. */

/** Runs with the cluster up, and leaves it as it was found. */
export async function withCluster<Result>(settings: Settings, work: () => Promise<Result>): Promise<Result> {
	const running = lockOwner(settings) !== null;
	await startCluster(settings);
	try {
		return await work();
	} finally {
		if (!running) stopCluster(settings);
	}
}

// With another certificate than before, units that were made to trust it would not come in
const KEPT = ['claim.key', 'secret.keys', 'call-home.key', 'ledger.key', 'bootstrap.crt', 'bootstrap.key'];
/** What is written here is for whoever runs it, and nobody else on the machine. */
const OWNERS_ONLY = 0o077;

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
	process.umask(OWNERS_ONLY);
	mkdirSync(join(target, 'keys'), { recursive: true });
	chmodSync(target, 0o700);
	await withCluster(settings, async () => {
		// Before the dump: what is done meanwhile is in the dump, and the head must be of its beginning
		writeFileSync(join(target, 'ledger-head.txt'), `${await withOwner(settings, currentHead)}\n`);
		runOnDatabase('pg_dump', ownerUrl(settings), [
			'--format=custom',
			// What waits in the queue is found anew from the tables
			`--exclude-schema=${JOBS_SCHEMA}`,
			'--file',
			join(target, 'database.dump')
		]);
	});
	for (const name of KEPT) {
		const key = join(settings.LIMEN_STATE_DIR, 'keys', name);
		if (existsSync(key)) cpSync(key, join(target, 'keys', name));
	}
	const images = join(settings.LIMEN_STATE_DIR, 'images');
	if (existsSync(images)) cpSync(images, join(target, 'images'), { recursive: true });
	closeToOthers(target);
	say(
		`Written to ${target}: database.dump, keys and images. Whoever has this folder has everything: keep it closed.`
	);
}

/** Copied files bring the rights they had with them. */
function closeToOthers(path: string): void {
	const folder = statSync(path).isDirectory();
	chmodSync(path, folder ? 0o700 : 0o600);
	if (folder) for (const name of readdirSync(path)) closeToOthers(join(path, name));
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
			if (existsSync(join(folder, part))) {
				cpSync(join(folder, part), join(settings.LIMEN_STATE_DIR, part), { recursive: true });
				closeToOthers(join(settings.LIMEN_STATE_DIR, part));
			}
		runOnDatabase('pg_restore', url, [
			'--no-owner',
			'--exit-on-error',
			'--single-transaction',
			join(folder, 'database.dump')
		]);
		await migrate(settings);
		// Whoever was signed in when the backup was made, or had a link, comes in anew
		await withOwner(settings, async (owner) => {
			await owner.query('update session set revoked_at = now() where revoked_at is null');
			await owner.query('update ticket set used_at = now() where used_at is null');
		});
	});
	say('Restored. Everybody signs in anew.');
}

async function withOwner<Result>(
	settings: Settings,
	work: (client: pg.Client) => Promise<Result>
): Promise<Result> {
	const client = new pg.Client({ connectionString: ownerUrl(settings) });
	await client.connect();
	try {
		return await work(client);
	} finally {
		await client.end();
	}
}

/** Where the ledger's chain stands now, signed. */
async function currentHead(client: pg.Client): Promise<string> {
	const { rows } = await client.query(`select id::int, encode(hash, 'hex') as hash from ledger_head`);
	return writeHead({ entry: rows[0].id, hash: rows[0].hash, at: new Date().toISOString() });
}

/**
 * Proves the ledger unbroken, or names the first entry that is not as it was written. With a head that was
 * kept outside (`--from`, the line itself or a file with it), proves also that it is the same ledger, grown.
 */
export async function verifyLedger(parameters: readonly string[]): Promise<void> {
	const settings = currentSettings();
	const [option, given] = parameters;
	if (option !== undefined && (option !== '--from' || !given))
		throw new Problem(
			'Say from which head: ./limen verify-ledger --from HEAD, the line itself or a file with it.'
		);
	const isFile = given !== undefined && statSync(given, { throwIfNoEntry: false })?.isFile();
	const head = given === undefined ? null : readHead(isFile ? readFileSync(given, 'utf8') : given);
	if (given !== undefined && head === null)
		throw new Problem('This is no head that this installation signed.');
	await withCluster(settings, () =>
		withOwner(settings, async (client) => {
			const { entries, problem } = await firstBroken(client);
			if (problem) throw new Problem(problem);
			if (head) await proveGrowth(client, head);
			say(
				`The ledger is unbroken: ${entries} entries, each chained to the one before it.${head ? ` The first ${head.entry} are those of ${head.at}.` : ''}`
			);
			say(`It stands at: ${await currentHead(client)}`);
		})
	);
}

async function proveGrowth(client: pg.Client, { entry, hash, at }: Head): Promise<void> {
	if (entry === 0) return;
	const { rows } = await client.query(`select encode(hash, 'hex') as hash from ledger_entry where id = $1`, [
		entry
	]);
	if (rows[0]?.hash !== hash)
		throw new Problem(
			rows[0]
				? `This is not the ledger of ${at}: its first ${entry} entries have been written anew.`
				: `This is not the ledger of ${at}: it had ${entry} entries then, and the end was cut off.`
		);
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
