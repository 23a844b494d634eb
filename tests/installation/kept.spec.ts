import { mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { Installation } from './installation';
import { listOfLabels, planted, program, tokenFor } from './planted';

/** What must not be lost, nor changed unseen: the ledger, the keys, the backup. */
describe('what an installation of its own keeps', () => {
	let here: Installation;
	let cookie: string;
	let token: string;

	before(async () => {
		here = await Installation.create();
		await here.start();
		const world = await planted(here);
		cookie = world.cookie;
		token = await tokenFor(here, cookie, world.customerId, ['see', 'claim']);
		const taken = await program(here, token)('POST', '/batches', {
			customerId: world.customerId,
			text: listOfLabels(1_000_000, 20)
		});
		expect(taken.status).to.equal(201);
	});
	after(() => here.remove());

	it('names the first entry of its ledger that was changed, removed or cut off, even by the owner', async () => {
		const tamper = async (sql: string, words: RegExp) => {
			await here.query(
				'create table kept_ledger as select * from ledger_entry; create table kept_head as select * from ledger_head'
			);
			await here.query(`alter table ledger_entry disable trigger user; ${sql}`);
			const proof = here.limen('verify-ledger');
			expect(proof.stderr.trim()).to.match(words);
			expect(proof.status).to.equal(1);
			await here.query(
				'delete from ledger_entry; insert into ledger_entry select * from kept_ledger; alter table ledger_entry enable trigger user; drop table kept_ledger, kept_head'
			);
		};
		await tamper(
			`update ledger_entry set words = 'nothing' where id = 3`,
			/broken at entry 3: it is not as it was written/
		);
		await tamper('delete from ledger_entry where id = 4', /broken at entry 4: it is missing/);
		await tamper(
			'delete from ledger_entry where id = (select max(id) from ledger_entry)',
			/broken at entry \d+: the end was cut off/
		);
		expect(here.limen('verify-ledger').status).to.equal(0);
	});

	it('proves with a head that was kept outside that the ledger was not written anew as a whole', async () => {
		const head = /^It stands at: (limen-ledger .+)$/m.exec(here.limen('verify-ledger').stdout)![1]!;
		await fetch(here.url('/account'), { headers: { cookie } });
		expect(here.limen('verify-ledger', '--from', head).stdout).to.match(/The first \d+ are those of 20/);
		const letter = join(here.settings.LIMEN_STATE_DIR, 'letter.txt');
		writeFileSync(letter, `Dear colleague,\n\nkeep this:\n${head.replace(/ /g, '\n')}\n`);
		expect(here.limen('verify-ledger', '--from', letter).status).to.equal(0);
		for (const forged of [head.replace(/\d+/, '2'), head.slice(0, -1), 'limen-ledger', '', '.'])
			expect(here.limen('verify-ledger', '--from', forged).status, forged).to.equal(1);
		await here.query(
			'create table kept_ledger as select * from ledger_entry; create table kept_head as select * from ledger_head'
		);
		// The owner of the database can make a chain that holds in itself
		await here.query(
			`do $$ declare one record; last bytea; begin
				alter table ledger_entry disable trigger user;
				update ledger_entry set words = 'Nothing happened.' where id = 3;
				select hash into last from ledger_entry where id = 2;
				for one in select id from ledger_entry where id > 2 order by id loop
					update ledger_entry e set hash = ledger_hash(last, e) where id = one.id returning hash into last;
				end loop;
				update ledger_head set hash = last;
			end $$`
		);
		expect(here.limen('verify-ledger').status).to.equal(0);
		expect(here.limen('verify-ledger', '--from', head).stderr).to.match(/have been written anew/);
		await here.query(
			'delete from ledger_entry where id > 3; update ledger_head set id = 3, hash = (select hash from ledger_entry where id = 3)'
		);
		expect(here.limen('verify-ledger', '--from', head).stderr).to.match(/the end was cut off/);
		await here.query(
			`delete from ledger_entry; insert into ledger_entry select * from kept_ledger; alter table ledger_entry enable trigger user;
			update ledger_head h set id = k.id, hash = k.hash from kept_head k; drop table kept_ledger, kept_head`
		);
		expect(here.limen('verify-ledger', '--from', head).status).to.equal(0);
	});

	it('does not start without its keys, says so in one sentence, and damages nothing', async () => {
		await here.stop();
		const keys = join(here.settings.LIMEN_STATE_DIR, 'keys');
		for (const name of ['claim.key', 'secret.keys']) {
			renameSync(join(keys, name), join(keys, 'away'));
			for (const content of [null, 'ab'.repeat(32)]) {
				if (content) writeFileSync(join(keys, name), content);
				const started = here.limen('serve');
				expect(started.status).to.equal(1);
				expect(started.stderr.trim().split('\n')).to.have.lengthOf(1);
				expect(started.stderr).to.include(`keys/${name}`).and.include('restore it from the backup');
				rmSync(join(keys, name), { force: true });
			}
			renameSync(join(keys, 'away'), join(keys, name));
		}
		await here.start();
		expect((await fetch(here.url('/readyz'))).status).to.equal(200);
	});

	it('seals its secrets with a new key, and the old renderings with it', async () => {
		await here.stop();
		const sealed = async () =>
			(
				await here.query<{ key: string }>(
					`select distinct split_part(values->>'staff_secret', ':', 2) as key from customer where values->>'staff_secret' is not null`
				)
			).map(({ key }) => key);
		await here.startPostgres();
		const [before] = await sealed();
		expect(before).to.match(/^[0-9a-f]{12}$/);
		expect(here.limen('rotate-key').stdout).to.match(/A new key is in use; \d+ secrets/);
		await here.startPostgres();
		const after = await sealed();
		expect(after).to.have.lengthOf(1);
		expect(after[0]).to.not.equal(before);
		await here.start();
	});

	it('comes back whole from its backup, by the commands in the README', async () => {
		const folder = join(mkdtempSync(join(tmpdir(), 'limen-backup-')), 'backup');
		const written = here.limen('backup', folder);
		expect(written.stdout, written.stderr).to.include('database.dump, keys and images');
		expect(here.limen('backup', folder).stderr).to.include('is not empty');
		expect(here.limen('restore', folder).stderr).to.include('stop it first');
		for (const path of ['', ...readdirSync(folder, { recursive: true })])
			expect(statSync(join(folder, String(path))).mode & 0o077, `${path} is its owner's alone`).to.equal(0);
		const head = join(folder, 'ledger-head.txt');
		const other = await Installation.create();
		try {
			const restored = other.limen('restore', folder);
			expect(restored.stdout, restored.stderr).to.include('Restored.');
			expect(other.limen('restore', folder).stderr).to.include('There is an installation here already');
			await other.start();
			// There is an administrator: no link is offered
			expect(other.said).to.not.include('/ticket/');
			const census = (one: Installation) =>
				one.query(
					`select (select count(*) from unit) as units, (select count(*) from run_event) as events, (select count(*) from person) as people,
						(select hash from ledger_head) as head`
				);
			expect(await census(other)).to.deep.equal(await census(here));
			expect(other.limen('verify-ledger', '--from', head).status).to.equal(0);
			const again = await fetch(other.url('/account'), {
				headers: { cookie, accept: 'text/html' },
				redirect: 'manual'
			});
			expect(again.headers.get('location'), 'who was signed in then is not now').to.include('/sign-in');
			// Units that trust the server by its certificate go on trusting it
			const certificate = ({ settings }: Installation) =>
				readFileSync(join(settings.LIMEN_STATE_DIR, 'keys', 'bootstrap.crt'), 'utf8');
			expect(certificate(other)).to.equal(certificate(here));
			const answer = await fetch(other.url('/api/v1/runs'), {
				headers: { authorization: `Bearer ${token}` }
			});
			expect(answer.status).to.equal(200);
		} finally {
			await other.remove();
			rmSync(join(folder, '..'), { recursive: true, force: true });
		}
	});
});
