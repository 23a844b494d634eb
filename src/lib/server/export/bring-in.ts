import { createHash } from 'node:crypto';
import {
	appendFileSync,
	createReadStream,
	existsSync,
	mkdirSync,
	mkdtempSync,
	readFileSync,
	rmSync,
	statSync
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { createInterface } from 'node:readline';
import { Unzip, UnzipInflate } from 'fflate';
import pg from 'pg';
import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { ownerUrl } from '../database';
import { CHECK, LEDGER_FILE, MANIFEST, manifestSchema, rowsFile, type Manifest } from './manifest';
import { keyOf, sealedAgain, unlock } from './passphrase';
import { readCatalogue, SHARED, type Catalogue, type ForeignKey } from './tables';

const ROWS_AT_ONCE = 500;
/** Rows pack to a fifth or a twentieth; what unpacks to more than this is made to fill a disk. */
const MOST_TIMES = 150;
const ROOM_FOR_LITTLE = 1024 * 1024;
const NAME = /^(manifest\.json|(rows|records)\/[a-z_]+\.jsonl)$/;

/** What is made up where only a part left: nobody comes in as who is brought in, and nothing is signed with a key that stayed. */
const MADE_UP: Readonly<Record<string, Readonly<Record<string, string>>>> = {
	person: { disabled_at: 'now()' },
	owner_key: { private_key: `''`, is_brought: 'true', retired_at: 'now()' }
};
/** What is here already in any installation. */
const HERE_ALREADY = ['role', 'run_step'];

/**
 * Brings everything of a customer into an installation that has none. All of it or nothing: each file must be as its manifest
 * says, and every reference must lead somewhere. For whoever holds the database's own password: a command. Refused: an
 * installation that has customers, a file that is none or was changed, one of another version, a wrong passphrase.
 */
export async function bringIn(
	path: string,
	passphrase: string,
	database = ownerUrl()
): Promise<Act<Manifest>> {
	if (!existsSync(path)) return refuse(`There is no file ${path}.`);
	const folder = mkdtempSync(join(tmpdir(), 'limen-bring-in-'));
	try {
		const unpacked = await unpack(path, folder);
		if (!unpacked.ok) return unpacked;
		const manifest = unpacked.done;
		const key = keyOf(passphrase, manifest.salt);
		if (unlock(manifest.check, key) !== CHECK)
			return refuse('That is not the passphrase that it was taken out with.');
		const client = new pg.Client({ connectionString: database });
		await client.connect();
		try {
			return await fill(client, manifest, folder, key);
		} finally {
			await client.end();
		}
	} finally {
		rmSync(folder, { recursive: true, force: true });
	}
}

/** Its files in a folder, each as the manifest says. */
async function unpack(path: string, folder: string): Promise<Act<Manifest>> {
	let strange: string | null = null;
	const most = MOST_TIMES * statSync(path).size + ROOM_FOR_LITTLE;
	let unpacked = 0;
	const hashes = new Map<string, { readonly hash: ReturnType<typeof createHash>; octets: number }>();
	const unzip = new Unzip((file) => {
		if (!NAME.test(file.name) || hashes.has(file.name)) {
			strange ??= file.name;
			return;
		}
		const about = { hash: createHash('sha256'), octets: 0 };
		hashes.set(file.name, about);
		const target = join(folder, file.name);
		mkdirSync(dirname(target), { recursive: true });
		file.ondata = (error, chunk) => {
			if (error) throw error;
			if ((unpacked += chunk.length) > most) throw new Error('It unpacks to more than rows ever do.');
			about.octets += chunk.length;
			about.hash.update(chunk);
			appendFileSync(target, chunk);
		};
		file.start();
	});
	unzip.register(UnzipInflate);
	try {
		for await (const chunk of createReadStream(path)) unzip.push(chunk as Uint8Array);
		unzip.push(new Uint8Array(), true);
	} catch {
		return refuse('It is no ZIP, or is damaged.');
	}
	if (strange !== null) return refuse(`There is something else in it: ${String(strange).slice(0, 80)}.`);
	if (!hashes.has(MANIFEST))
		return refuse('It has no manifest: it is no export of a customer, or is cut off.');
	let manifest: Manifest;
	try {
		manifest = v.parse(manifestSchema, JSON.parse(readFileSync(join(folder, MANIFEST), 'utf8')));
	} catch {
		return refuse('Its manifest is not one that is understood here.');
	}
	for (const { name, octets, sha256 } of manifest.files) {
		const about = hashes.get(name);
		if (!about || about.octets !== octets || about.hash.digest('hex') !== sha256)
			return refuse(`${name} is not as it was written: it was changed or damaged.`);
	}
	const told = new Set(manifest.files.map(({ name }) => name));
	const untold = [...hashes.keys()].find((name) => name !== MANIFEST && !told.has(name));
	return untold === undefined ? done(manifest) : refuse(`The manifest says nothing of ${untold}.`);
}

async function fill(
	client: pg.Client,
	manifest: Manifest,
	folder: string,
	key: Buffer
): Promise<Act<Manifest>> {
	await client.query(`begin; set local timezone to 'UTC'`);
	const catalogue = await readCatalogue(client);
	if (catalogue.schema !== manifest.schema)
		return refuse(
			`It was written by another version: its database is at ${manifest.schema}, this one at ${catalogue.schema}. Bring both to the same.`
		);
	const { rows: full } = await client.query(
		'select from customer union all select from profile union all select from maker limit 1'
	);
	if (full.length > 0)
		return refuse(
			'This installation has customers, profiles or makers already: a customer is brought into an empty one.'
		);
	const tables = [...catalogue.own, ...SHARED];
	const files = new Map(manifest.files.map((file) => [file.name, file]));
	const known = new Set([...tables.map(rowsFile), LEDGER_FILE]);
	const strange = manifest.files.find(({ name }) => !known.has(name));
	if (strange) return refuse(`${strange.name} has no place here.`);
	await makePartitions(client, folder);
	// References are looked at when all is there: each constraint is made anew, which proves it
	const keys = catalogue.keys.filter(({ child }) => tables.includes(child));
	for (const { child, name } of keys) await client.query(`alter table "${child}" drop constraint "${name}"`);
	for (const table of tables) await client.query(`alter table "${table}" disable trigger user`);
	for (const table of tables) {
		const file = files.get(rowsFile(table));
		if (file) await insertRows(client, catalogue, table, join(folder, file.name), key);
	}
	for (const table of tables) await client.query(`alter table "${table}" enable trigger user`);
	const broken = await proveReferences(client, keys);
	if (broken) return refuse(broken);
	await client.query(`
		do $$ declare s record; begin
			for s in select format('%I', c.relname) as t, a.attname as col from pg_attribute a join pg_class c on c.oid = a.attrelid
				where a.attidentity <> '' and c.relnamespace = 'public'::regnamespace and not c.relispartition and c.relname <> 'ledger_entry'
			loop execute format('select setval(pg_get_serial_sequence(%L, %L), (select coalesce(max(%I), 0) + 1 from %s), false)', s.t, s.col, s.col, s.t); end loop;
		end $$; commit`);
	return done(manifest);
}

async function proveReferences(client: pg.Client, keys: readonly ForeignKey[]): Promise<string | null> {
	for (const { child, name, definition } of keys)
		try {
			await client.query(`alter table "${child}" add constraint "${name}" ${definition}`);
		} catch (error) {
			if ((error as { code?: string }).code !== '23503') throw error;
			return `Something in ${child} leads to what is not in the file (${name}). Nothing was brought in.`;
		}
	return null;
}

async function insertRows(
	client: pg.Client,
	{ columns }: Catalogue,
	table: string,
	path: string,
	key: Buffer
): Promise<void> {
	const made = Object.entries(MADE_UP[table] ?? {});
	const names = columns.get(table)!.map(({ name }) => name);
	const into = [...names, ...made.map(([name]) => name)].map((name) => `"${name}"`).join(', ');
	const from = [...names.map((name) => `r."${name}"`), ...made.map(([, value]) => value)].join(', ');
	const sql = `insert into "${table}" (${into}) overriding system value select ${from} from json_populate_recordset(null::"${table}", $1::json) r ${HERE_ALREADY.includes(table) ? 'on conflict do nothing' : ''}`;
	let lines: string[] = [];
	const put = async () => {
		if (lines.length > 0) await client.query(sql, [`[${lines.join(',')}]`]);
		lines = [];
	};
	for await (const line of createInterface({ input: createReadStream(path, 'utf8'), crlfDelay: Infinity })) {
		lines.push(sealedAgain(line, key));
		if (lines.length >= ROWS_AT_ONCE) await put();
	}
	await put();
}

/** Tables that are parted by time need a part for each time that is brought in, cut as the application cuts them. */
async function makePartitions(client: pg.Client, folder: string): Promise<void> {
	const first = (
		await Promise.all(
			['health_reading', 'health_hour', 'health_day'].map((table) => timesIn(folder, table, /"at":"([^"]+)"/))
		)
	)
		.flat()
		.sort()[0];
	if (first) await client.query('select limen_keep_health($1, $2, $2, $2)', [first, LONGEST_KEPT_DAYS]);
	for (const year of await timesIn(folder, 'retired_row', /"destroy_on":"(\d{4})/))
		await client.query(
			`create table if not exists retired_row_${year} partition of retired_row for values from ('${year}-01-01') to ('${Number(year) + 1}-01-01')`
		);
}
/** Whatever is older is dropped by this installation's own rule. */
const LONGEST_KEPT_DAYS = 4_000;

async function timesIn(folder: string, table: string, time: RegExp): Promise<readonly string[]> {
	const path = join(folder, rowsFile(table));
	if (!existsSync(path)) return [];
	const found = new Set<string>();
	for await (const line of createInterface({ input: createReadStream(path, 'utf8'), crlfDelay: Infinity })) {
		const at = time.exec(line)?.[1];
		if (at) found.add(at);
	}
	return [...found];
}
