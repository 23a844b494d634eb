import { expect } from 'chai';
import { pathOf } from '../../../src/core/reachability';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import {
	brokenPaths,
	lookNow,
	lookSoon,
	pathChanges,
	reachMatrix,
	reachPair
} from '../../../src/lib/server/reachability';
import { takeTurns } from '../../../src/lib/server/reachability/turns';
import { onChange } from '../dialling';
import { address, customerId, customerLike, doneBy, get, newPerson, unwalled } from '../making';
import { Network, type Box, type PlannedSite } from '../network';
import { tokenFor } from '../things';

const SITES = ['Ash', 'Birch', 'Cedar', 'Dogwood'] as const;
type Name = (typeof SITES)[number];

describe('reachability', function () {
	let network: Network;
	let named: string;
	const sites = new Map<Name, PlannedSite & { readonly router: Box }>();
	let hubPosition: string;
	let hub: Box;
	let customer: string;

	const positionOf = (name: Name | 'hub') => (name === 'hub' ? hubPosition : sites.get(name)!.idOf('rt-1'));
	const everybody = () => [hubPosition, ...SITES.map(positionOf)];
	/** Has all ask all others anew, and waits until they have. */
	async function lookedAtAll(): Promise<void> {
		const { rows } = await unwalled().raw('select clock_timestamp() as at');
		await lookSoon(unwalled(), everybody());
		await onChange(['errand-ended', 'paths'], async () => {
			await runAs(BOOTSTRAP, takeTurns);
			const { rows: left } = await unwalled().raw(
				`select from unit join binding on binding.unit_id = unit.id and binding.position_id = any (:all::uuid[])
				where exists (select from errand e where e.unit_id = unit.id and kind = 'across' and state in ('waiting', 'under way'))
					or (exists (select from unit_connection c where c.unit_id = unit.id and c.ended_at is null)
						and not exists (select from errand e where e.unit_id = unit.id and kind = 'across' and e.asked_at > :at and e.ended_at is not null))`,
				{ all: everybody(), at: rows[0].at }
			);
			return left.length === 0;
		});
	}
	/** The matrix as `from > to path` of all that was looked at. */
	async function found(): Promise<string[]> {
		const { places, paths } = (await reachMatrix(customer))!;
		const nameOf = (id: string) => [...SITES, 'hub' as const].find((name) => positionOf(name) === id)!;
		return places.flatMap((from, row) =>
			places.flatMap((to, column) => {
				const path = pathOf(paths[row * places.length + column]!);
				return path === null ? [] : [`${nameOf(from.id)} > ${nameOf(to.id)} ${path}`];
			})
		);
	}
	const failing = async () => (await found()).filter((line) => line.endsWith('none'));

	before(async () => {
		// One of its own: what other tests brought online would stand in the matrix
		named = await customerLike('Pippin & Loaf');
		network = new Network(named);
		customer = await customerId(named);
		hubPosition = await network.planHub();
		const plans: [Name, PlannedSite][] = [];
		for (const name of SITES) plans.push([name, await network.plannedSite(name, false)]);
		hub = await network.online('router', hubPosition);
		for (const [name, plan] of plans) sites.set(name, await network.broughtOnline(plan, false));
		network.fabric.look();
	});
	beforeEach(async () => {
		network.isWell();
		await lookedAtAll();
	});
	after(() => network.end());

	it('is looked at from each place to each other, with path, loss and time', async () => {
		const all = await found();
		expect(all).to.have.length(5 * 4);
		expect(all.filter((line) => line.includes('hub >') || line.includes('> hub'))).to.satisfy(
			(some: string[]) => some.every((line) => line.endsWith(' direct'))
		);
		expect(all).to.include.members(['Ash > Birch hub', 'Dogwood > Cedar hub']);
		const { places, cause, ages, times, planned } = (await reachMatrix(customer))!;
		expect(cause).to.equal(null);
		expect(places[0]).to.include({ id: hubPosition, isHub: true, isConnected: true });
		expect([...ages].every((minutes) => minutes < 5)).to.equal(true);
		expect(times[1]).to.be.greaterThan(0);
		expect(pathOf(planned[1]!)).to.equal('direct');
		const pair = (await reachPair(positionOf('Ash'), positionOf('Birch')))!;
		expect(pair).to.deep.include({ planned: 'hub', changes: [] });
		expect(pair.there).to.include({ path: 'hub', loss: 0, hops: 3 });
		expect(pair.there!.answer).to.match(/10\.42\.\d+\.1/);
		expect(pair.back).to.include({ path: 'hub' });
	});

	it('says what fails, since when, and what failing pairs have in common', async () => {
		sites.get('Cedar')!.router.faults.add('blocked-tunnels');
		await lookedAtAll();
		expect(await failing()).to.have.length(8);
		expect((await reachMatrix(customer))!.cause).to.equal(
			`All that fails leads to or from ${sites.get('Cedar')!.name}.`
		);
		expect((await reachMatrix(customer))!.places.at(-1)!.id).to.equal(positionOf('Cedar'));
		const [broken] = await brokenPaths(customer);
		expect(broken).to.deep.include({ customerName: named, pairs: 8 });
		const pair = (await reachPair(positionOf('Ash'), positionOf('Cedar')))!;
		expect(pair.there!.words).to.match(/does not answer/);
		expect(pair.changes.map(({ before, after }) => `${before} ${after}`)).to.have.members([
			'hub none',
			'hub none'
		]);
		network.isWell();
		await lookedAtAll();
		expect(await failing()).to.deep.equal([]);
		expect(await brokenPaths(customer)).to.deep.equal([]);
	});

	it('names the hub when nobody reaches it', async () => {
		hub.faults.add('forwards-nothing');
		await lookedAtAll();
		hub.faults.add('blocked-tunnels');
		await lookedAtAll();
		expect((await reachMatrix(customer))!.cause).to.match(/^Nobody reaches .* the hub\./);
	});

	it('tells what cannot be read in the unit’s words, neither as reached nor as not', async () => {
		const { router } = sites.get('Ash')!;
		const host = sites.get('Birch')!.network.replace(/0\/22$/, '1');
		router.says.set(`print reach ${host}`, 'reech: %% perhaps\n');
		await lookedAtAll();
		expect((await found()).filter((line) => line.endsWith('unread'))).to.deep.equal(['Ash > Birch unread']);
		const { there } = (await reachPair(positionOf('Ash'), positionOf('Birch')))!;
		expect(there!.words).to.contain('reech: %% perhaps');
		expect(await failing()).to.deep.equal([]);
	});

	it('sees the moment when a path goes from the hub to the direct way, and tells it', async () => {
		const [ash, birch] = [sites.get('Ash')!, sites.get('Birch')!];
		const direct = await network.tunnel(positionOf('Ash'), positionOf('Birch'));
		await lookedAtAll();
		expect(pathOf((await reachMatrix(customer))!.planned[1]!)).to.equal('direct');
		expect(await found()).to.include('Ash > Birch hub');
		const { planned, there } = (await reachPair(positionOf('Ash'), positionOf('Birch')))!;
		expect([planned, there!.path]).to.deep.equal(['direct', 'hub']);
		const block = await unwalled()('tunnel').where({ name: direct, customer_id: customer }).first('block');
		const base = Number(/\.(\d+)\/31$/.exec(block.block)![1]);
		const address = (own: number) => block.block.replace(/\d+\/31$/, `${base + own}/31`);
		const end = (own: number, far: string) =>
			`tunnel ${direct}\n  secret "for both"\n  own-address ${address(own)}\n  reach ${far}\n`;
		birch.router.configuration = `${birch.router.configuration.replace('obtain-address', 'own-address 198.51.100.6/30')}route default via 198.51.100.5\n${end(0, ash.network)}`;
		ash.router.configuration = `${ash.router.configuration}${end(1, birch.network)}`.replace(
			`own-address ${address(1)}\n`,
			`own-address ${address(1)}\n  far-end 198.51.100.6\n`
		);
		network.fabric.look();
		await lookedAtAll();
		expect(await found()).to.include.members(['Ash > Birch direct', 'Birch > Ash direct']);
		const [latest] = await pathChanges({ customerId: customer }, 1);
		expect(latest).to.include({ before: 'hub', after: 'direct' });
	});

	it('is asked again for one pair by whoever may prove sites, and of nobody who is away', async () => {
		const [ash, birch] = [positionOf('Ash'), positionOf('Birch')];
		const look = async (duty: 'auditor' | 'technician') =>
			doneBy(await newPerson({ [named]: duty }), (actor) => lookNow(ash, birch, actor));
		expect(await look('auditor')).to.have.property('problem', 'You may not prove sites of this customer.');
		expect(await look('technician')).to.have.property('ok', true);
		await onChange(['errand-ended'], async () => {
			const waiting = await unwalled()('errand')
				.join('binding', 'binding.unit_id', 'errand.unit_id')
				.where({ position_id: ash })
				.whereIn('state', ['waiting', 'under way']);
			return waiting.length === 0;
		});
		await sites.get('Ash')!.router.end();
		await onChange(['runs', 'units', 'paths'], async () => !(await reachPair(ash, birch))!.from.isConnected);
		expect(await look('technician')).to.have.property(
			'problem',
			`${sites.get('Ash')!.name} is not connected: its unit cannot be asked.`
		);
	});

	it('is over tunnels whose secrets are masked alike in what was sent and what would be: nothing differs', async () => {
		const auditor = await newPerson({ [named]: 'auditor' });
		const page = await (await get(`/positions/${positionOf('Dogwood')}/preview`, auditor)).text();
		expect(page).to.contain('The same as what was last sent, line by line.');
	});

	it('is seen by its customer’s people alone, as page, list, file and through the API', async () => {
		const reader = await newPerson({ [named]: 'reader' });
		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		const pair = `/sites/reachability/${positionOf('Ash')}/${positionOf('Birch')}`;
		const page = await (await get(`/sites/reachability?customer=${customer}`, reader)).text();
		expect(page).to.contain(sites.get('Ash')!.name);
		expect((await get(pair, reader)).status).to.equal(200);
		expect((await get(pair, stranger)).status).to.equal(404);
		expect(await (await get(`/sites/reachability?customer=${customer}`, stranger)).text()).to.not.contain(
			sites.get('Ash')!.name
		);
		const csv = await (await get(`/sites/reachability/file?customer=${customer}`, reader)).text();
		expect(csv.split('\r\n')[0]).to.equal(
			'from,to,path,planned,there and back in ms,loss in %,what was found,by this path since,looked at'
		);
		expect(csv.match(/\r\n/g)!.length).to.be.greaterThan(20);
		expect(await (await get('/sites/reachability/file', stranger)).text()).to.not.contain(
			sites.get('Ash')!.name
		);
		const ask = async (token: string) =>
			fetch(address(`/api/v1/sites/${sites.get('Ash')!.id}/reachability`), {
				headers: { authorization: `Bearer ${token}` }
			});
		const answer = await (await ask(await tokenFor(named))).json();
		expect(answer.items).to.have.length(8);
		expect(answer.items[0]).to.have.keys(
			'fromSiteId', 'fromPositionId', 'toSiteId', 'toPositionId', 'path', 'lossPercent', 'roundTripMilliseconds', 'words', 'lookedAt', 'pathSince'
		); // prettier-ignore
		expect((await ask(await tokenFor('Southfold Physio'))).status).to.equal(404);
	});

	it('calls two routers of one site by their own names too, and every other by its site', async () => {
		const { name } = sites.get('Ash')!;
		const { rows } = await unwalled().raw(
			`insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), site_id, customer_id, 'rt-2', role_id, profile_id, '{"hostname": "second"}' from position where id = ? returning id`,
			[positionOf('Ash')]
		);
		await network.tunnel(rows[0].id);
		const called = async () => (await reachMatrix(customer))!.places.map((place) => place.called);
		expect(await called()).to.include.members([`${name}, rt-1`, sites.get('Birch')!.name]);
		expect(
			await (
				await get(`/sites/reachability/file?customer=${customer}`, await newPerson({ [named]: 'reader' }))
			).text()
		).to.contain(`"${name}, rt-1"`);
		await unwalled()('tunnel').where({ near_position: rows[0].id }).delete();
		expect(await called()).to.include(name);
	});
});
