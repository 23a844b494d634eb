import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { Installation } from './installation';

describe('several processes behind one address', () => {
	let here: Installation;
	before(async () => {
		here = await Installation.create({ LIMEN_PROCESSES: '2' });
		await here.start();
	});
	after(() => here.remove());

	const processes = () =>
		here.query<{ id: string }>(
			`select id from process where ended_at is null and heartbeat_at > now() - interval '30 seconds' order by started_at`
		);
	async function until(holds: () => Promise<boolean>): Promise<void> {
		// Other processes' work: it comes when it comes
		while (!(await holds())) await sleep(100);
	}

	it('know who has come in, whichever answers; go on when one is killed, which is started again; and end together', async () => {
		await until(async () => (await processes()).length === 2);
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
		for (let time = 0; time < 8; time++) expect(await ask()).to.equal(200);
		await here.untilSaid(/is started again/);
		await until(async () => {
			const now = (await processes()).map(({ id }) => id);
			return now.some((id) => !before.includes(id)) && now.some((id) => before.includes(id));
		});
		expect(await ask()).to.equal(200);
		await here.stop();
		expect(await here.answers()).to.equal(false);
	});
});
