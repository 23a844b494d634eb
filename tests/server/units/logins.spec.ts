import { createServer, type AddressInfo, type Server } from 'node:net';
import { expect } from 'chai';
import * as v from 'valibot';
import { reachAt, reachOf, stopReaching } from '../../../src/lib/server/connections';
import { itemsOf, workById } from '../../../src/lib/server/jobs';
import {
	dropLogin,
	lastTries,
	loginSchema,
	loginsOf,
	saveLogin,
	tryLogins
} from '../../../src/lib/server/logins';
import { claimBatch } from '../../../src/lib/server/intake';
import { loadPack } from '../../../src/lib/server/packs';
import { Fennick, fennickPack, madeKey } from '../../fennick';
import { onChange } from '../dialling';
import { ACTOR, customerId, doneBy, newPerson, unwalled } from '../making';
import { fresh, must, why } from '../profile/profile-making';

const CUSTOMER = 'Harrier Lodges';
const BOSS = { name: 'Maren Aldous', address: null, may: () => true };
/** Loopback addresses that nobody else of this customer's has. */
let made = 0;
const address = () => `127.${(process.pid % 100) + 20}.${++made}.1`;
const portOf = (server: Server) => (server.address() as AddressInfo).port;

async function listening(answer: Parameters<typeof createServer>[1], host: string): Promise<Server> {
	const server = createServer(answer);
	await new Promise<void>((resolve) => server.listen(0, host, resolve));
	return server;
}
const login = async (name: string, ranges: string[], more: object = {}) => ({
	customer: await customerId(CUSTOMER),
	name,
	user: 'operator',
	password: 'as the manual says',
	privateKey: '',
	privileges: '',
	port: 22,
	ranges,
	models: [] as string[],
	ordinal: 0,
	...more
});
/** What came of trying the address. */
async function tried(at: string, port: number) {
	must(await tryLogins({ customer: await customerId(CUSTOMER), port, addresses: [at] }, ACTOR));
	const { id } = await unwalled()('long_work')
		.where({ kind: 'try logins' })
		.orderBy('begun_at', 'desc')
		.first('id');
	await onChange(['work'], async () => (await workById(id))!.state !== 'under way');
	const [item] = await itemsOf(id, { limit: 1 });
	const last = (await lastTries(await customerId(CUSTOMER))).find((one) => one.address === at);
	return { state: item!.state, words: item!.words, outcome: last?.outcome };
}

describe('logins that are kept once', () => {
	before(async () => void must(await loadPack(fennickPack(), BOSS)));

	it('are tried where somebody wants it, say which part is wrong, and lock nobody out', async () => {
		const at = address();
		const device = new Fennick(`FN${(process.pid % 900) + 100}60001`, '');
		const server = await listening((socket) => device.answer(socket), at);
		const name = fresh('Lodges');
		expect(await tried(at, portOf(server))).to.include({ state: 'failed', outcome: undefined });
		must(await saveLogin(await login(name, [`${at}/32`]), ACTOR));
		expect(await tried(at, portOf(server))).to.include({ state: 'done', outcome: 'in' });
		device.hostKey = madeKey();
		expect(await tried(at, portOf(server))).to.include({ state: 'failed', outcome: 'host key' });
		await unwalled()('address_key').where({ address: at }).delete();
		must(await saveLogin(await login(name, [`${at}/32`], { password: 'not this one' }), ACTOR));
		for (let turn = 0; turn < 3; turn++)
			expect(await tried(at, portOf(server))).to.include({ state: 'failed', outcome: 'login' });
		// The right one would do now, and still nobody knocks before the hour is over
		must(await saveLogin(await login(name, [`${at}/32`]), ACTOR));
		expect(await tried(at, portOf(server))).to.include({ state: 'failed', outcome: 'held back' });
		await unwalled()('login_try')
			.where({ address: at })
			.update({ at: new Date(Date.now() - 3_700_000) });
		expect(await tried(at, portOf(server))).to.include({ outcome: 'in' });
		const port = portOf(server);
		await new Promise((resolve) => server.close(resolve));
		expect(await tried(at, port)).to.include({ outcome: 'port closed' });
		const mute = await listening((socket) => void socket.end('hello?\r\n'), at);
		expect(await tried(at, portOf(mute))).to.include({ outcome: 'no ssh' });
		mute.close();
		for (const table of ['login', 'login_try', 'ledger_entry', 'long_work_item'])
			expect(JSON.stringify(await unwalled()(table)), table).not.to.contain('as the manual says');
	});

	it('are what a unit is reached with that has none of its own, the most specific first', async () => {
		const at = address();
		const serial = `FN${(process.pid % 900) + 100}60002`;
		const unitId = must(
			await claimBatch(await customerId(CUSTOMER), `${serial},02:0f:0e:02:00:01,CODE60002`, ACTOR)
		).rows[0]!.unitId!;
		const device = new Fennick(serial, '');
		const server = await listening((socket) => device.answer(socket), at);
		const reaching = {
			address: at,
			port: portOf(server),
			user: '',
			password: '',
			privateKey: '',
			privileges: ''
		};
		expect(why(await reachAt(unitId, reaching, ACTOR))).to.match(/none of the customer’s logins/);
		const [wide, own] = [fresh('Wide'), fresh('Own')];
		must(await saveLogin(await login(wide, [at.replace(/\.\d+\.1$/, '.0.0/16')], { user: 'nobody' }), ACTOR));
		must(await saveLogin(await login(own, [`${at}/32`]), ACTOR));
		must(await reachAt(unitId, reaching, ACTOR));
		expect(await reachOf(unitId)).to.include({ login: own });
		await onChange(['units'], async () => {
			const row = await unwalled()('unit_connection').where({ unit_id: unitId }).first();
			return row?.ended_at === null;
		});
		const kept = (await loginsOf(await customerId(CUSTOMER))).find(({ name }) => name === own)!;
		expect(kept).to.include({ units: 1, user: 'operator' });
		expect(why(await dropLogin(kept.id, ACTOR))).to.match(/^Units are reached with it/);

		// Behind the login: what raises privileges, and a prompt that its pack does not know
		const port = portOf(server);
		expect(await tried(at, port)).to.include({ state: 'done', outcome: 'in' });
		const asking = (more: string) =>
			fennickPack((text) =>
				text
					.replace('"say": "admin",', `"say": "admin",${more}`)
					.replace('"prepare"', '"patience": 1, "prepare"')
			);
		device.adminPassword = 'up we go';
		must(await loadPack(asking(''), BOSS));
		expect(await tried(at, port)).to.include({ state: 'failed', outcome: 'prompt' });
		must(await loadPack(asking(' "asks": "^Password: $",'), BOSS));
		expect(await tried(at, port)).to.include({ state: 'failed', outcome: 'privilege' });
		must(await saveLogin(await login(own, [`${at}/32`], { privileges: 'up we go' }), ACTOR));
		expect(await tried(at, port)).to.include({ state: 'done', outcome: 'in' });
		must(await loadPack(fennickPack(), BOSS));
		must(await stopReaching(unitId, ACTOR));
		must(await dropLogin(kept.id, ACTOR));
		device.unplug();
		server.close();
	});

	it('are for engineers of the customer, and never for others’ addresses', async () => {
		const given = await login(fresh('Theirs'), ['10.77.0.0/16']);
		must(await saveLogin(given, ACTOR));
		const [kept] = (await loginsOf(given.customer)).filter(({ name }) => name === given.name);
		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		const coordinator = await newPerson({ [CUSTOMER]: 'coordinator' });
		for (const person of [stranger, coordinator]) {
			expect((await doneBy(person, (actor) => saveLogin(given, actor))).ok).to.equal(false);
			expect((await doneBy(person, (actor) => dropLogin(kept!.id, actor))).ok).to.equal(false);
			const tries = { customer: given.customer, port: 22, addresses: ['10.77.0.1'] };
			expect((await doneBy(person, (actor) => tryLogins(tries, actor))).ok).to.equal(false);
		}
		expect(await doneBy(stranger, () => loginsOf(null))).to.deep.equal([]);
		for (const ranges of ['10.77.0.1/16', '10.77.0.0', 'all', ''])
			expect(v.safeParse(loginSchema, { ...given, ranges, ordinal: '0' }).success, ranges).to.equal(false);
		expect(why(await saveLogin({ ...given, models: ['no-such'] }, ACTOR))).to.equal(
			'There is no such model.'
		);
		expect(why(await saveLogin({ ...given, user: '' }, ACTOR))).to.equal('Say as which user.');
	});
});
