import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { unzipSync, zipSync } from 'fflate';
import pg from 'pg';
import { migrate } from '../../../command/cluster';
import { bringIn, LEFT_OUT, SHARED, takeOut } from '../../../src/lib/server/export';
import { keyOf, unlock } from '../../../src/lib/server/export/passphrase';
import { isSealed, seal, unseal } from '../../../src/lib/server/keys';
import { ownerUrl } from '../../../src/lib/server/database';
import { currentSettings } from '../../../src/lib/server/settings';
import { boundUnit, customerId, customerLike, newPerson, report, unwalled } from '../making';

const PASSPHRASE = 'a passphrase between two firms';

describe('everything of a customer as one file', () => {
	let folder: string;
	let empty: string;
	beforeEach(async () => {
		folder = mkdtempSync(join(tmpdir(), 'limen-export-'));
		const url = new URL(ownerUrl());
		url.pathname = `/empty_${randomUUID().replaceAll('-', '')}`;
		empty = url.href;
	});
	afterEach(async () => {
		rmSync(folder, { recursive: true, force: true });
		await unwalled().raw(`drop database if exists "${new URL(empty).pathname.slice(1)}" with (force)`);
		const role = `${new URL(empty).pathname.slice(1)}`;
		await unwalled().raw(`drop role if exists "${role}_application"; drop role if exists "${role}_jobs"`);
	});
	const emptyInstallation = () => migrate({ ...currentSettings(), LIMEN_DATABASE_URL: empty });
	const file = (name = 'a.zip') => join(folder, name);
	const must = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
		if (!act.ok) throw new Error(act.problem);
		return act.done;
	};
	const problemOf = (act: { ok: boolean; problem?: string }): string => (act.ok ? '' : act.problem!);
	const filesOf = (path: string) =>
		new Map(
			Object.entries(unzipSync(readFileSync(path))).map(([name, octets]) => [
				name,
				Buffer.from(octets).toString()
			])
		);
	/** Rows with their secrets open, whichever passphrase and nonce locked them. */
	function open(path: string): Map<string, string> {
		const files = filesOf(path);
		const key = keyOf(PASSPHRASE, JSON.parse(files.get('manifest.json')!).salt);
		return new Map(
			[...files]
				.filter(([name]) => name.startsWith('rows/'))
				.map(([name, text]) => [
					name,
					text.replace(/limen-secret:[A-Za-z0-9+/]+=*/g, (secret) => `<${unlock(secret, key)}>`)
				])
		);
	}
	/** A customer with something of many kinds: a unit that reports, an alert, a secret, a person who did it, a retired rule. */
	async function someCustomer(): Promise<string> {
		const customer = await customerLike('Marlstone Veterinary');
		const unit = await boundUnit('gateway', customer);
		await report(unit, 'bootstrap-initiated');
		const person = await newPerson({ [customer]: 'engineer' });
		const key = await customerId(customer);
		await unwalled()('customer')
			.where({ id: key })
			.update({
				values: JSON.stringify({ passphrase: seal('a secret of theirs'), words: 'Kōwhai ﬁ “quoted” \\ 😀' })
			});
		await unwalled()('connector').insert({
			...{
				id: randomUUID(),
				customer_id: key,
				name: 'Theirs',
				kind: 'sites',
				person_id: person.id,
				stated_by: person.name
			},
			...{ url: 'https://x.example/', header: 'X-Key', header_value: seal('a key of theirs') }
		});
		const rule = await unwalled()('alert_rule').whereNull('customer_id').first('id');
		await unwalled()('alert').insert({
			...{
				id: randomUUID(),
				unit_id: unit.unitId,
				customer_id: key,
				kind: 'figure',
				words: 'Hot',
				rule_id: rule.id
			}
		});
		return customer;
	}

	it('is read back into an empty installation, and is the same @long', async () => {
		const customer = await someCustomer();
		const manifest = must(await takeOut(customer, file(), PASSPHRASE));
		expect(manifest.files.map(({ name }) => name)).to.include.members([
			...[
				'customer',
				'site',
				'position',
				'unit',
				'run',
				'run_event',
				'binding',
				'profile',
				'part',
				'pack',
				'alert'
			].map((table) => `rows/${table}.jsonl`),
			'records/ledger.jsonl'
		]);
		const text = [...filesOf(file()).values()].join('');
		expect(text).to.not.contain('a secret of theirs').and.to.not.contain('sealed:');
		expect(text).to.not.contain('password_hash').and.to.not.contain('private_key');
		await emptyInstallation();
		must(await bringIn(file(), PASSPHRASE, empty));
		must(await takeOut(customer, file('b.zip'), PASSPHRASE, empty));
		const [before, after] = [open(file()), open(file('b.zip'))];
		expect([...after.keys()]).to.deep.equal([...before.keys()]);
		for (const [name, rows] of before) expect(after.get(name), name).to.equal(rows);
		expect(before.get('rows/customer.jsonl')).to.contain('<a secret of theirs>');
		// Its secrets are sealed with the keys of where it is now
		const client = new pg.Client({ connectionString: empty });
		await client.connect();
		const { rows } = await client.query('select values from customer');
		const people = await client.query('select disabled_at, password_hash from person');
		await client.end();
		expect(isSealed(rows[0].values.passphrase)).to.equal(true);
		expect(unseal(rows[0].values.passphrase)).to.equal('a secret of theirs');
		for (const person of people.rows)
			expect(person.disabled_at !== null && person.password_hash === null).to.equal(true);
		expect(problemOf(await bringIn(file(), PASSPHRASE, empty))).to.contain('has customers');
	});

	it('shows nothing of other customers', async () => {
		const other = await customerLike('Pippin & Loaf', { words: 'only theirs' });
		const unit = await boundUnit('router', other);
		must(await takeOut(await someCustomer(), file(), PASSPHRASE));
		const text = [...filesOf(file()).values()].join('');
		for (const theirs of [other, unit.serial, 'only theirs', await customerId(other)])
			expect(text).to.not.contain(theirs);
	});

	it('is refused where it was changed, cut off, is something else, or the passphrase is wrong; and nothing is brought in @long', async () => {
		must(await takeOut(await someCustomer(), file(), PASSPHRASE));
		await emptyInstallation();
		const whole = readFileSync(file());
		const parts = unzipSync(whole);
		const manifest = JSON.parse(Buffer.from(parts['manifest.json']!).toString());
		const tried = async (content: Uint8Array, passphrase = PASSPHRASE) => {
			writeFileSync(file('tried.zip'), content);
			return problemOf(await bringIn(file('tried.zip'), passphrase, empty));
		};
		const zipped = (change: Record<string, string>) =>
			zipSync({
				...parts,
				...Object.fromEntries(Object.entries(change).map(([name, text]) => [name, Buffer.from(text)]))
			});
		expect(await tried(whole, 'another passphrase')).to.contain('not the passphrase');
		expect(await tried(whole.subarray(0, whole.length / 2))).to.match(/no manifest|damaged/);
		expect(await tried(Buffer.from('no zip at all'))).to.match(/no manifest|no ZIP/);
		expect(await tried(zipped({ 'rows/site.jsonl': '{}' }))).to.contain('was changed');
		expect(await tried(zipped({ 'rows/site.jsonl': ' '.repeat(64 * 1024 * 1024) }))).to.contain('damaged');
		expect(await tried(zipped({ '../../evil': 'x' }))).to.contain('something else in it');
		expect(await tried(zipped({ 'rows/session.jsonl': '{}' }))).to.contain(
			'says nothing of rows/session.jsonl'
		);
		expect(
			await tried(zipped({ 'manifest.json': JSON.stringify({ ...manifest, schema: 'another' }) }))
		).to.contain('another version');
		const { 'rows/site.jsonl': site, ...others } = parts;
		void site;
		const files = manifest.files.filter(({ name }: { name: string }) => name !== 'rows/site.jsonl');
		expect(
			await tried(
				zipSync({ ...others, 'manifest.json': Buffer.from(JSON.stringify({ ...manifest, files })) })
			)
		).to.contain('leads to what is not in the file');
		const client = new pg.Client({ connectionString: empty });
		await client.connect();
		for (const table of ['customer', 'unit', 'profile', 'person'])
			expect(
				(await client.query(`select count(*)::int as count from ${table}`)).rows[0].count,
				table
			).to.equal(0);
		await client.end();
		expect(problemOf(await takeOut('Nobody', file(), PASSPHRASE))).to.contain('already');
		expect(problemOf(await takeOut('Nobody', file('c.zip'), PASSPHRASE))).to.contain('no customer');
		expect(problemOf(await takeOut('Nobody', file('c.zip'), 'short'))).to.contain('12 characters');
	});

	it('has every table in it whose rows name a customer, or a reason why not', async () => {
		const { rows } = await unwalled().raw(
			`select c.relname as table from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attname = 'customer_id'
			where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition`
		);
		const own = new Set(rows.map(({ table }: { table: string }) => table));
		for (const table of Object.keys(LEFT_OUT))
			expect(own.has(table), `${table} is left out, and names no customer`).to.equal(true);
		// What refers to a customer's rows is theirs, too: it names them, is shared, or is thought of
		const { rows: beside } = await unwalled().raw(
			`select distinct child.relname as child, parent.relname as parent from pg_constraint k join pg_class child on child.oid = conrelid join pg_class parent on parent.oid = confrelid where contype = 'f' order by 1`
		);
		const unthought = beside.filter(
			({ child, parent }: { child: string; parent: string }) =>
				own.has(parent) &&
				!(parent in LEFT_OUT) &&
				!own.has(child) &&
				!SHARED.includes(child) &&
				!/_\d+$/.test(child)
		);
		expect(unthought.map(({ child }: { child: string }) => child)).to.deep.equal(['letter_evening', 'mail']);
	});
});
