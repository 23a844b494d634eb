import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { Installation } from './installation';

describe('several processes behind one address', () => {
	let here: Installation;
	beforeEach(async () => {
		here = await Installation.create({ LIMEN_PROCESSES: '2' });
		await here.start();
		// One that has said that it lives is not yet one that is dealt connections
		await until(async () => {
			await fetch(here.url('/healthz'), { headers: { connection: 'close' } });
			const answered = here.log.matchAll(/"pid":(\d+).*"msg":"request"/g);
			return new Set(Array.from(answered, ([, pid]) => pid)).size === 2;
		});
	});
	afterEach(() => here.remove());

	const processes = () =>
		here.query<{ id: string }>(
			`select id from process where ended_at is null and heartbeat_at > now() - interval '30 seconds' order by started_at`
		);
	async function until(holds: () => Promise<boolean>): Promise<void> {
		// Other processes' work: it comes when it comes
		while (!(await holds())) await sleep(100);
	}

	it('leave nobody without an end who comes as one is killed', async () => {
		// It is handed a connection, and does not get to take it
		const pid = here.oneOfMany();
		process.kill(pid, 'SIGSTOP');
		let answered = 0;
		const asked = Array.from({ length: 6 }, () =>
			fetch(here.url('/healthz'), { headers: { connection: 'close' } }).then(() => answered++)
		);
		await until(() => Promise.resolve(answered === asked.length - 1));
		await here.killOneOfMany(pid);
		const ended = await Promise.allSettled(asked);
		expect(ended.filter(({ status }) => status === 'rejected')).to.have.length(1);
		await here.untilSaid(/is started again/);
	});

	it('are ended and started again when they stand still, one of several or the only one', async () => {
		const alone = await Installation.create();
		try {
			await alone.start();
			await until(async () => (await processes()).length === 2);
			for (const pid of [here.oneOfMany(), alone.application()]) process.kill(pid, 'SIGSTOP');
			for (const one of [here, alone]) {
				await one.untilSaid(/has stood still/);
				await one.untilSaid(/is started again/);
			}
			await alone.untilSaid(/The application runs again/);
			await until(async () => (await processes()).length === 2);
			for (const one of [here, here, alone])
				expect((await fetch(one.url('/readyz'), { headers: { connection: 'close' } })).status).to.equal(200);
		} finally {
			await alone.remove();
		}
	});

	it('end by themselves when their start command is killed, in the middle of what they log', async () => {
		let ended = false;
		const asking = Array.from({ length: 8 }, async () => {
			while (!ended) await fetch(here.url('/healthz')).catch(() => null);
		});
		await here.killCommandAlone();
		ended = true;
		await Promise.all(asking);
		await here.start();
		expect((await fetch(here.url('/readyz'))).status).to.equal(200);
	});

	it('know who has come in, whichever answers; go on when one is killed, which is started again; and end together', async () => {
		const before = (await processes()).map(({ id }) => id);
		const cookie = await here.firstAdministrator();
		const ask = async () => {
			// A connection of its own each time: they are dealt out between the processes
			const answer = await fetch(here.url('/sites'), { headers: { cookie, connection: 'close' } });
			await answer.text();
			return answer.status;
		};
		for (let time = 0; time < 8; time++) expect(await ask()).to.equal(200);
		await here.killOneOfMany();
		// Until its end is noticed it is still dealt connections
		await here.untilSaid(/is started again/);
		for (let time = 0; time < 8; time++) expect(await ask()).to.equal(200);
		await until(async () => {
			const now = (await processes()).map(({ id }) => id);
			return now.some((id) => !before.includes(id)) && now.some((id) => before.includes(id));
		});
		expect(await ask()).to.equal(200);
		await here.stop();
		expect(await here.answers()).to.equal(false);
	});
});
