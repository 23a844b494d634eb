import { createHash } from 'node:crypto';
import { createWriteStream, existsSync, rmSync } from 'node:fs';
import { once } from 'node:events';
import { Zip, ZipDeflate } from 'fflate';
import pg from 'pg';
import { done, refuse, type Act } from '../act';
import { ownerUrl, timeNow } from '../database';
import { CHECK, FORMAT, LEDGER_FILE, MANIFEST, rowsFile, type Manifest } from './manifest';
import { keyOf, LEAST_PASSPHRASE, lock, locked, newSalt } from './passphrase';
import { belongsTo, findShared, readCatalogue, selected, SHARED, type Catalogue } from './tables';

const ROWS_AT_ONCE = 1_000;

/**
 * Writes everything of a customer into a ZIP: a file of JSON Lines for each table, as at one moment, with a manifest. Secrets
 * are locked with the passphrase. For whoever holds the database's own password: a command. Refused: an unknown customer, a
 * short passphrase.
 */
export async function takeOut(
	name: string,
	path: string,
	passphrase: string,
	database = ownerUrl()
): Promise<Act<Manifest>> {
	if (passphrase.length < LEAST_PASSPHRASE)
		return refuse(
			`The passphrase has ${LEAST_PASSPHRASE} characters at least: whoever reads the file has only that between them and the secrets.`
		);
	if (existsSync(path)) return refuse(`There is ${path} already; nothing was written.`);
	const client = new pg.Client({ connectionString: database });
	await client.connect();
	try {
		await client.query(
			`begin isolation level repeatable read; set local timezone to 'UTC'; set local extra_float_digits to 1`
		);
		const found = await client.query<{ id: string; name: string }>(
			'select id, name from customer where lower(name) = lower($1)',
			[name]
		);
		const [customer] = found.rows;
		if (!customer) return refuse(`There is no customer “${name}”.`);
		const catalogue = await readCatalogue(client);
		const wanted = await filesOf(client, catalogue, customer.id);
		const salt = newSalt();
		const key = keyOf(passphrase, salt);
		const files: Manifest['files'] = [];
		const zip = new ZipFile(path);
		for (const [file, sql] of wanted) {
			const about = await writeRows(client, zip, file, sql, key);
			if (about.rows > 0) files.push(about);
		}
		const manifest: Manifest = {
			...{
				format: FORMAT,
				version: 1,
				madeAt: new Date(timeNow()).toISOString(),
				customer,
				schema: catalogue.schema
			},
			...{ salt, check: lock(CHECK, key), files }
		};
		await zip.add(MANIFEST, [JSON.stringify(manifest, null, '\t')]);
		await zip.end();
		return done(manifest);
	} catch (error) {
		// Half a file looks like a whole one
		rmSync(path, { force: true });
		throw error;
	} finally {
		await client.end();
	}
}

/** Which files there are, and the query for the lines of each. Within a transaction: the rows are of one moment. */
export async function filesOf(
	client: pg.ClientBase,
	catalogue: Catalogue,
	customerId: string
): Promise<readonly (readonly [file: string, sql: string])[]> {
	await findShared(client, catalogue, customerId);
	const rows = (table: string, where: string) =>
		[
			rowsFile(table),
			`select row_to_json(r)::text as line from (select ${selected(catalogue, table, customerId)} from "${table}" t where ${where} order by ${catalogue.order.get(table)}) r`
		] as const;
	return [
		...catalogue.own.map((table) => rows(table, `t."${belongsTo(table)}" = '${customerId}'`)),
		...SHARED.map((table) =>
			rows(table, `exists (select from needed where of = '${table}' and place = t.ctid)`)
		),
		[
			LEDGER_FILE,
			`select row_to_json(t)::text as line from (select * from ledger_entry where customer_id = '${customerId}' order by id) t`
		]
	];
}

async function writeRows(
	client: pg.Client,
	zip: ZipFile,
	file: string,
	sql: string,
	key: Buffer
): Promise<Manifest['files'][number]> {
	const hash = createHash('sha256');
	let [rows, octets] = [0, 0];
	async function* lines(): AsyncGenerator<string> {
		await client.query(`declare reading no scroll cursor for ${sql}`);
		for (;;) {
			const { rows: read } = await client.query<{ line: string }>(`fetch ${ROWS_AT_ONCE} from reading`);
			if (read.length === 0) break;
			const text = read.map(({ line }) => `${locked(line, key)}\n`).join('');
			rows += read.length;
			octets += Buffer.byteLength(text);
			hash.update(text);
			yield text;
		}
		await client.query('close reading');
	}
	await zip.add(file, lines());
	return { name: file, rows, octets, sha256: hash.digest('hex') };
}

/** A ZIP that is written as its files come; a file without anything in it is left out. */
class ZipFile {
	readonly #out;
	readonly #zip: Zip;
	#failure: Error | null = null;
	constructor(path: string) {
		this.#out = createWriteStream(path, { mode: 0o600, flags: 'wx' });
		this.#out.on('error', (error) => (this.#failure = error));
		this.#zip = new Zip((error, chunk) => {
			if (error) this.#failure = error;
			else this.#out.write(chunk);
		});
	}
	async add(name: string, parts: Iterable<string> | AsyncIterable<string>): Promise<void> {
		let file: ZipDeflate | null = null;
		for await (const part of parts) {
			if (this.#failure) throw this.#failure;
			if (!file) this.#zip.add((file = new ZipDeflate(name, { level: 6 })));
			file.push(Buffer.from(part));
			if (this.#out.writableNeedDrain) await once(this.#out, 'drain');
		}
		file?.push(new Uint8Array(), true);
	}
	async end(): Promise<void> {
		this.#zip.end();
		this.#out.end();
		if (!this.#failure) await once(this.#out, 'close');
		if (this.#failure) throw this.#failure;
	}
}
