import { expect } from 'chai';
import {
	unwalled,
	address,
	boundUnit,
	customerId,
	customerLike,
	get,
	newPerson,
	post,
	type TestPerson
} from '../making';

describe('a screen on a wall', () => {
	let administrator: TestPerson;
	before(async () => (administrator = await newPerson('administrator')));

	/** Its path, as the page shows it once. */
	async function made(customer = ''): Promise<string> {
		const page = await (
			await post('/people/walls?/make', { name: 'Operations', customer }, {}, administrator)
		).text();
		return /\/wall\/[A-Za-z0-9_-]{32}/.exec(page)![0];
	}
	/** As somebody who is nobody asks. */
	const ask = (path: string) => fetch(address(path));

	it('is seen by nobody’s name, of one customer alone, and holds nothing that is secret', async () => {
		const customer = await customerLike('Marlstone Veterinary');
		const unit = await boundUnit('gateway', customer);
		const { site_id } = await unwalled()('position').where({ id: unit.positionId }).first('site_id');
		await unwalled()('site').where({ id: site_id }).update({ latitude: -41, longitude: 173 });
		const wall = await made(await customerId(customer));
		const page = await ask(wall);
		expect(page.status).to.equal(200);
		expect(page.headers.get('referrer-policy')).to.equal('no-referrer');
		expect(page.headers.get('cache-control')).to.equal('private, no-store');
		const now = await (await ask(`${wall}/now`)).json();
		expect(now.title).to.equal(customer);
		expect(now.sites).to.deep.equal({ online: 0, all: 1 });
		expect(now.map.map(({ id }: { id: string }) => id)).to.deep.equal([site_id]);
		const text = `${await page.text()}${JSON.stringify(now)}`;
		for (const secret of [
			unit.claimCode,
			'a-secret-of-tests',
			'10.0.0.0/22',
			administrator.email,
			'Southfold'
		])
			expect(text, secret).to.not.include(secret);
		const land = await ask(`${wall}/land?latitude=-41&longitude=173`);
		expect(land.status).to.equal(200);
		expect((await ask(`${wall}/land?latitude=x&longitude=173`)).status).to.equal(400);
	});

	it('shows nothing once it is ended, and nothing by guessing; and is an administrator’s to make', async () => {
		const wall = await made();
		expect((await ask(wall)).status).to.equal(200);
		const [screen] = await unwalled()('wall_screen')
			.whereNull('ended_at')
			.orderBy('made_at', 'desc')
			.limit(1);
		expect(JSON.stringify(screen)).to.not.include(wall.slice('/wall/'.length));
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		for (const act of ['end', 'make'])
			expect(
				(await post(`/people/walls?/${act}`, { screen: screen.id, name: 'Mine' }, {}, engineer)).status
			).to.equal(403);
		expect((await ask(wall)).status).to.equal(200);
		await post('/people/walls?/end', { screen: screen.id }, {}, administrator);
		for (const path of [
			wall,
			`${wall}/now`,
			`${wall}/land?latitude=1&longitude=1`,
			'/wall/x',
			`/wall/${'A'.repeat(5000)}`
		])
			expect((await ask(path)).status, path.slice(0, 60)).to.equal(404);
		expect((await get('/people/walls', engineer)).status).to.equal(403);
		const again = await post('/people/walls?/end', { screen: screen.id }, {}, administrator);
		expect(await again.text()).to.include('It has ended already.');
	});
});
