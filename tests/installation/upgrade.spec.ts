import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect } from 'chai';
import { DEMO_PASSWORD } from '../../command/demo';
import { ownerUrl } from '../../src/lib/server/database';
import { Installation } from './installation';

/**
 * Databases of the demo as versions of before left them, backed up by those versions themselves: each comes up to now with all
 * that is in it. In `older`, by the number of the newest migration that each had: what `./limen backup` wrote, without its images.
 */
const OLDER = fileURLToPath(new URL('./older/', import.meta.url));
const INES = 'ines.okafor@sallowfield.example';

/** How many rows each table of a dump has. */
function rowsIn(dump: string): ReadonlyMap<string, number> {
	const { stdout } = spawnSync('pg_restore', ['--data-only', '-f', '-', dump], {
		encoding: 'utf8',
		maxBuffer: 256 * 1024 * 1024
	});
	const rows = new Map<string, number>();
	let table: string | null = null;
	for (const line of stdout.split('\n')) {
		const begun = /^COPY public\.(\w+) /.exec(line)?.[1];
		if (begun) rows.set((table = begun), 0);
		else if (line === '\\.') table = null;
		else if (table !== null) rows.set(table, rows.get(table)! + 1);
	}
	return rows;
}
/** The shape of an installation's database, as text. */
function schemaOf({ settings }: Installation): string {
	const { stdout, stderr, status } = spawnSync(
		'pg_dump',
		['--schema-only', '--no-owner', '--schema', 'public', ownerUrl(settings)],
		{ encoding: 'utf8', maxBuffer: 64 * 1024 * 1024 }
	);
	expect(status, stderr).to.equal(0);
	return (
		stdout
			// What keeps a dump from being used for more differs each time
			.replace(/^\\(un)?restrict .*$/gm, '')
			// Roles stand in the order in which this server made them
			.replace(/ TO (\w+(?:, \w+)+)/g, (_, roles: string) => ` TO ${roles.split(', ').sort().join(', ')}`)
	);
}

describe('a database of an older version', () => {
	let fresh: string;
	const made: Installation[] = [];
	let folder: string;
	const installation = async () => {
		const one = await Installation.create();
		made.push(one);
		return one;
	};
	before(async () => {
		const one = await installation();
		await one.start();
		fresh = schemaOf(one);
		await one.stop();
	});
	beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'limen-older-'))));
	afterEach(async () => {
		rmSync(folder, { recursive: true, force: true });
		for (const one of made.splice(0)) await one.remove();
	});

	for (const name of readdirSync(OLDER).sort())
		it(`comes up to now with all that is in it, from migration ${name.split('.')[0]}`, async () => {
			expect(spawnSync('tar', ['xzf', join(OLDER, name), '-C', folder]).status).to.equal(0);
			const before = rowsIn(join(folder, 'database.dump'));
			expect(before.get('unit')).to.be.greaterThan(20);
			const one = await installation();
			const restored = one.limen('restore', folder);
			expect(restored.status, restored.stdout + restored.stderr).to.equal(0);
			// The first versions kept no head beside the database
			const head = join(folder, 'ledger-head.txt');
			const from = existsSync(head) ? ['--from', readFileSync(head, 'utf8').trim()] : [];
			const verified = one.limen('verify-ledger', ...from);
			expect(verified.status, verified.stdout + verified.stderr).to.equal(0);
			await one.start();
			expect(schemaOf(one)).to.equal(fresh);
			for (const [table, count] of before) {
				const [there] = await one.query<{ yes: boolean }>(`select to_regclass($1) is not null as yes`, [
					`public.${table}`
				]);
				if (!there!.yes) continue;
				const [now] = await one.query<{ count: number }>(
					`select count(*)::int as count from public.${table}`
				);
				expect(now!.count, table).to.be.at.least(count);
			}
			const signedIn = await one.form('/sign-in?/password', { email: INES, password: DEMO_PASSWORD });
			const cookie = signedIn.headers
				.getSetCookie()
				.map((set) => set.split(';')[0])
				.join('; ');
			expect(cookie).to.contain('limen_session=');
			const [id] = await one.query<{ unit: string; site: string; profile: string }>(
				`select (select id from unit order by id limit 1) as unit, (select id from site order by id limit 1) as site,
					(select id from profile order by id limit 1) as profile`
			);
			const pages = [
				'/',
				'/sites',
				`/sites/${id!.site}`,
				'/units',
				`/units/${id!.unit}`,
				'/arrivals',
				'/intake',
				'/records'
			];
			for (const path of [...pages, `/profiles/${id!.profile}`])
				expect((await fetch(one.url(path), { headers: { cookie } })).status, path).to.equal(200);
		});
});
