import { createServer, connect, type AddressInfo, type Server } from 'node:net';
import { expect } from 'chai';
import {
	reachAt,
	reachOf,
	removeWay,
	saveWay,
	stopReaching,
	waysOf
} from '../../../src/lib/server/connections';
import { claimBatch } from '../../../src/lib/server/intake';
import { loadPack } from '../../../src/lib/server/packs';
import { readRunning } from '../../../src/lib/server/proof';
import { serveJump, serveSocks, type Behind } from '../../../standins/network/ways';
import { newHostKey } from '../../../standins/units/home';
import { Fennick, fennickPack, madeKey } from '../../fennick';
import { onChange } from '../dialling';
import { ACTOR, answerOf, customerId, doneBy, get, newPerson, post, unwalled } from '../making';
import { must, why } from '../profile/profile-making';

const BOSS = { name: 'Maren Aldous', address: null, may: () => true };
const CUSTOMER = 'Marlstone Veterinary';
const LOGIN = { user: 'operator', password: 'as the manual says', privateKey: '' };
const EDGE = { user: 'limen', password: 'at the edge' };
let made = 0;

/** A device in a cupboard, with a configuration of somebody else's; listening where the test says. */
async function inACupboard() {
	const serial = `FN${String((process.pid % 900) + 100)}${String(++made + 50_000)}`;
	const line = `${serial},02:0f:0e:01:00:${made.toString(16).padStart(2, '0')},CODE${made}0001`;
	const unitId = must(await claimBatch(await customerId(), line, ACTOR)).rows[0]!.unitId!;
	const device = new Fennick(serial, '');
	device.configuration = `set system name ${serial.toLowerCase()}\nset port wan0 address automatic`;
	const server = createServer((socket) => device.answer(socket));
	await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
	return { device, unitId, server, port: (server.address() as AddressInfo).port };
}
const portOf = (server: Server) => (server.address() as AddressInfo).port;
const connectionOf = (unitId: string) => unwalled()('unit_connection').where({ unit_id: unitId }).first();
const untilConnected = (unitId: string) =>
	onChange(['units'], async () => (await connectionOf(unitId))?.ended_at === null);
const problemOf = async (unitId: string): Promise<string | null> =>
	(await unwalled()('unit').where({ id: unitId }).first('reach_problem')).reach_problem;
const untilProblem = (unitId: string, words: RegExp) =>
	onChange(['units'], async () => words.test((await problemOf(unitId)) ?? ''));
/** As if the pause were over. */
const tryAgain = (unitId: string) =>
	unwalled()('unit_reach')
		.where({ unit_id: unitId })
		.update({ next_try_at: new Date(0) });
const at = (address: string, port: number, login: object = {}) => ({
	address,
	port,
	...LOGIN,
	privileges: '',
	...login
});

describe('a unit that does not dial home', () => {
	before(async () => void must(await loadPack(fennickPack(), BOSS)));

	it('is reached at its address with a login, asked like any other, and reached again when it is lost', async () => {
		const { device, unitId, server, port } = await inACupboard();
		must(await reachAt(unitId, at('127.0.0.1', port), ACTOR));
		await untilConnected(unitId);
		expect(await connectionOf(unitId)).to.include({ way: 'out' });
		expect((await readRunning(unitId))!.content).to.include('set port wan0 address automatic');
		const unit = await unwalled()('unit').where({ id: unitId }).first();
		expect(unit.dialled_home_at).to.equal(null);
		device.unplug();
		await onChange(['units'], async () => (await connectionOf(unitId))!.ended_at !== null);
		await untilConnected(unitId);
		must(await stopReaching(unitId, ACTOR));
		await onChange(['units'], async () => (await connectionOf(unitId))!.ended_at !== null);
		expect(await reachOf(unitId)).to.equal(null);
		server.close();
	});

	it('says which part is wrong: nobody there, the login, or a host key that is another one @long', async () => {
		const { device, unitId, server, port } = await inACupboard();
		must(await reachAt(unitId, at('127.0.0.1', port, { password: 'not this one' }), ACTOR));
		await untilProblem(unitId, /user or password was refused/);
		must(await reachAt(unitId, at('127.0.0.1', port), ACTOR));
		await untilConnected(unitId);
		expect(await problemOf(unitId)).to.equal(null);
		// Somebody else answers at its address
		device.hostKey = madeKey();
		device.unplug();
		await untilProblem(unitId, /host key is another one/);
		const toldOf = () => unwalled()('alert').where({ unit_id: unitId, kind: 'other host key' });
		await onChange(['alerts'], async () => (await toldOf()).length > 0);
		const told = await toldOf();
		expect(told.map(({ words, times }) => [/somebody stands in between/.test(words), times])).to.deep.equal([
			[true, 1]
		]);
		await new Promise((resolve) => server.close(resolve));
		await tryAgain(unitId);
		await untilProblem(unitId, /nothing listens there/);
		// None of it is told with the password
		const { rows } = await unwalled().raw(
			`select string_agg(row_to_json(l)::text, '') as all from ledger_entry l where subject_id = ?`,
			[unitId]
		);
		expect(rows[0].all).to.include('as operator').and.not.include('as the manual says');
		expect((await unwalled()('unit_reach').where({ unit_id: unitId }).first()).login).to.not.include(
			'manual'
		);
		must(await stopReaching(unitId, ACTOR));
	});

	it('whose command line asks for a password of its own is given it once, and nobody reads it', async () => {
		const { device, unitId, server, port } = await inACupboard();
		const asking = fennickPack((text) =>
			text.replace('"say": "admin",', '"say": "admin", "asks": "^Password: $", "secret": "admin_secret",')
		);
		must(await loadPack(asking, BOSS));
		device.adminPassword = 'up we go';
		const heard = async (privileges: string) => {
			must(await reachAt(unitId, at('127.0.0.1', port, { privileges }), ACTOR));
			await onChange(['units'], async () => (await connectionOf(unitId))?.ended_at === null);
			await readRunning(unitId);
			const errand = await unwalled()('errand').where({ unit_id: unitId }).orderBy('id', 'desc').first();
			device.unplug();
			await onChange(['units'], async () => (await connectionOf(unitId))!.ended_at !== null);
			return errand;
		};
		expect((await heard('')).words).to.match(/asks “Password:” to raise privileges, and no password/);
		expect((await heard('wrong')).words).to.match(/did not take the password/);
		expect(device.typed.filter((line) => line === 'wrong')).to.have.length(1);
		expect(await heard('up we go')).to.include({ state: 'done' });
		const { rows } = await unwalled().raw(
			`select string_agg(words, '') as said from dialogue where unit_id = ?`,
			[unitId]
		);
		expect(rows[0].said).to.not.include('up we go');
		must(await stopReaching(unitId, ACTOR));
		must(await loadPack(fennickPack(), BOSS));
		server.close();
	});

	it('is reached by way of the customer’s jump host or proxy, the most specific range first @long', async () => {
		const { device, unitId, server, port } = await inACupboard();
		/** An address that means nothing but behind the customer's edge. */
		const address = `10.77.${made}.9`;
		const seen: string[] = [];
		const behind =
			(edge: string): Behind =>
			(host, asked) =>
				new Promise((resolve) => {
					seen.push(`${edge} ${host}:${asked}`);
					if (host !== address) return resolve(null);
					const socket = connect(port, '127.0.0.1', () => resolve(socket));
				});
		const proxy = await serveSocks(0, behind('proxy'), EDGE);
		const jump = await serveJump(0, behind('jump'), EDGE, newHostKey());
		const customer = await customerId(CUSTOMER);
		const way = (name: string, kind: 'jump' | 'socks5', edge: Server, ranges: string[]) => ({
			customer,
			name: `${name} ${process.pid} ${made}`,
			kind,
			host: '127.0.0.1',
			port: portOf(edge),
			...EDGE,
			privateKey: '',
			ranges
		});
		must(await saveWay(way('Proxy', 'socks5', proxy, [`10.77.${made}.0/24`]), ACTOR));
		must(await reachAt(unitId, at(address, 22), ACTOR));
		await untilConnected(unitId);
		expect(seen).to.deep.equal([`proxy ${address}:22`]);
		expect((await reachOf(unitId))!.way).to.match(/^Proxy/);
		must(await saveWay(way('Jump', 'jump', jump, [`${address}/32`, '10.78.0.0/16']), ACTOR));
		device.unplug();
		await onChange(
			['units'],
			async () => seen.includes(`jump ${address}:22`) && (await connectionOf(unitId)).ended_at === null
		);
		expect((await readRunning(unitId))!.content).to.include('wan0');
		const [shown] = (await waysOf(customer)).filter(({ name }) => name.startsWith(`Jump ${process.pid}`));
		expect(shown).to.deep.include({ isPinned: true, units: 1 });
		// What the edge refuses is told by its name
		must(await removeWay(shown!.id, ACTOR));
		must(await reachAt(unitId, at(`10.77.${made}.10`, 22), ACTOR));
		await untilProblem(unitId, /By way of “Proxy/);
		must(await stopReaching(unitId, ACTOR));
		for (const one of [server, proxy, jump]) one.close();
		device.unplug();
	});

	it('is for engineers of its customer to say, and what is typed is looked at', async () => {
		const { unitId, server, port } = await inACupboard();
		server.close();
		const coordinator = await newPerson({ [CUSTOMER]: 'coordinator' });
		const refused = await doneBy(coordinator, (actor) => reachAt(unitId, at('127.0.0.1', port), actor));
		expect(why(refused)).to.match(/Engineers of this customer/);
		const engineer = await newPerson({ [CUSTOMER]: 'engineer' });
		const page = await get(`/units/${unitId}/reach`, engineer).then((answer) => answer.text());
		expect(page).to.include('Reach it at this address');
		for (const [given, words] of [
			[{ address: 'there', port: '22', user: 'a', password: 'b' }, /no address/],
			[{ address: '10.0.0.1', port: '0', user: 'a', password: 'b' }, /1 to 65535/],
			[{ address: '10.0.0.1', port: '22', user: '', password: 'b' }, /as which user/],
			[{ address: '10.0.0.1', port: '22', user: 'a', password: '' }, /password or a private key/],
			[{ address: '10.0.0.1', port: '22', user: 'a', privateKey: 'x' }, /cannot be read/]
		] as const) {
			const answer = await answerOf(await post(`/units/${unitId}/reach?/reach`, given, {}, engineer));
			expect(answer.type).to.equal('failure');
			expect(answer.data!.problem, JSON.stringify(given)).to.match(words);
		}
		const ways = await get('/addresses/ways', engineer).then((answer) => answer.text());
		expect(ways).to.include('Make a way in');
		const made = await answerOf(
			await post(
				'/addresses/ways?/make',
				{
					customer: await customerId(CUSTOMER),
					name: `Edge ${process.pid}`,
					kind: 'jump',
					host: 'edge.example',
					port: '22',
					user: 'limen',
					password: 'x',
					ranges: '10.1.0.1/16'
				},
				{},
				engineer
			)
		);
		expect(made.data!.problem).to.match(/10\.20\.0\.0\/16/);
	});
});
