import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { Installation } from './installation';
import { planted } from './planted';

describe('threads that end before they have worked', () => {
	let here: Installation;
	before(async () => {
		here = await Installation.create({});
		here.environment.TESTS_END_THREADS = join(here.settings.LIMEN_STATE_DIR, 'end-threads');
		here.environment.NODE_OPTIONS = `--import ${new URL('no-threads.mjs', import.meta.url).href}`;
		await here.start();
	});
	after(() => here.remove());

	it('leave what needs none as it is; who waits for one is told that it was given up, and when to come again', async () => {
		const { cookie } = await planted(here);
		const [profile] = await here.query<{ id: string }>(
			`select id from profile where name = 'Clinic gateway'`
		);
		const ask = (path: string) => fetch(here.url(path), { headers: { cookie } });
		const [page, data] = [`/profiles/${profile!.id}`, `/profiles/${profile!.id}/__data.json`];
		expect((await ask(page)).status).to.equal(200);
		writeFileSync(here.environment.TESTS_END_THREADS!, '');
		// The threads that are there already end when they look: another process's work
		while ((await ask(page)).status === 200) await sleep(50);
		for (const path of [page, data]) {
			const answer = await ask(path);
			expect(answer.status, path).to.equal(503);
			expect(Number(answer.headers.get('retry-after')), path).to.be.greaterThan(0);
			expect(await answer.text(), path).to.match(/was given up\. Nothing was changed/);
		}
		expect((await ask('/sites')).status).to.equal(200);
	});
});
