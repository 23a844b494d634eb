import { createServer, type AddressInfo, type Server } from 'node:net';
import { expect } from 'chai';
import * as v from 'valibot';
import { checkCharacter } from '../../src/core/intake';
import { saveLogin } from '../../src/lib/server/logins';
import { loadPack } from '../../src/lib/server/packs';
import {
	addressesOf,
	beginSurvey,
	cancelSurvey,
	changesSince,
	dropSurvey,
	keepSpots,
	draggedIn,
	newestMap,
	runsOf,
	saveSurvey,
	surveySchema,
	whereIs
} from '../../src/lib/server/survey';
import { takeOnById, takeOnFound, unitsOfTakeOn } from '../../src/lib/server/takeon';
import { ALONE } from '../../standins/network/fabric';
import type { Learnt, Neighbour } from '../../standins/network/station';
import { Changes } from '../../standins/units/changes';
import { listenAt, newHostKey } from '../../standins/units/home';
import { NO_IMAGES } from '../../standins/units/images';
import { MAKERS } from '../../standins/units/makers';
import { Fennick, fennickPack } from '../fennick';
import { onChange } from './dialling';
import { ACTOR, actorOf, customerId, newPerson, unwalled } from './making';
import { fresh, must, why } from './profile-making';

const CUSTOMER = 'Harrier Lodges';
const BOSS = { name: 'Maren Aldous', address: null, may: () => true };
/** A network of loopback that nobody else of this customer's has. */
let networks = 0;
const network = () => `127.${(process.pid % 100) + 120}.${100 + ++networks}`;
let numbers = (process.pid % 90) * 100;
function nextSerial(): string {
	const body = `VTB${String(++numbers).padStart(4, '0')}SRVY`;
	return body + checkCharacter(body, 'iso7064-mod-37-36');
}

/** A router that somebody else configured, listening at an address. */
class Lodge {
	serial = nextSerial();
	readonly mac = `06:0a:${[1, 2, 3, 4].map((at) => ((numbers >> (at * 2)) & 255).toString(16).padStart(2, '0')).join(':')}`.replace(/..$/, (numbers % 256).toString(16).padStart(2, '0')); // prettier-ignore
	version = '4.2.1';
	neighbours: Neighbour[] = [];
	learnt: Learnt[] = [];
	password = 'by the door';
	hostKey = newHostKey();
	logins = 0;
	readonly #life = new AbortController();

	constructor(readonly name: string) {}

	get configuration(): string {
		return `hostname ${this.name}\naccount keeper\n  secret "${this.password}"\n`;
	}
	hears(port: string, far: Lodge, more: Partial<Neighbour> = {}): void {
		this.neighbours.push({
			port,
			chassis: far.mac,
			neighbourPort: '',
			name: far.name,
			description: 'VT-120, release 4.2.1',
			address: '',
			...more
		});
	}
	listen(address: string, port: number): void {
		const device = {
			serial: this.serial,
			version: this.version,
			configuration: this.configuration,
			network: {
				...ALONE,
				self: { mac: this.mac, name: this.name, memory: '1024 MB', modules: 'none' },
				neighbours: () => this.neighbours,
				learnt: () => this.learnt
			},
			changes: new Changes(
				{ version: '1', configuration: '', hostKey: '' },
				() => null,
				() => undefined
			),
			images: NO_IMAGES,
			restart: () => undefined
		};
		void listenAt(
			address,
			port,
			this.hostKey,
			() => {
				this.logins += 1;
				return [{ user: 'keeper', password: this.password }];
			},
			(command) => MAKERS.veltrane!.answer(command, { ...device, version: this.version }),
			this.#life.signal
		);
	}
	end(): void {
		this.#life.abort();
	}
}

/** A port that is free on all of loopback's addresses, as far as this process knows. */
async function aPort(): Promise<number> {
	const probe = createServer();
	await new Promise<void>((resolve) => probe.listen(0, '0.0.0.0', resolve));
	const { port } = probe.address() as AddressInfo;
	await new Promise((resolve) => probe.close(resolve));
	return port;
}
async function listening(
	address: string,
	port: number,
	answer: Parameters<typeof createServer>[1]
): Promise<Server> {
	const server = createServer(answer);
	await new Promise<void>((resolve) => server.listen(port, address, resolve));
	return server;
}

async function login(name: string, ranges: string[], port: number, more: object = {}) {
	must(
		await saveLogin(
			{
				customer: await customerId(CUSTOMER),
				name,
				user: 'keeper',
				password: 'by the door',
				privateKey: '',
				privileges: '',
				port,
				ranges,
				models: [],
				ordinal: 0,
				...more
			},
			ACTOR
		)
	);
	return name;
}
const asked = async (begins: string, ranges: string, more: object = {}) =>
	v.parse(surveySchema, {
		customer: await customerId(CUSTOMER),
		name: fresh('Lodges'),
		begins,
		ranges,
		perSecond: '100',
		...more
	});
const over = (id: string) =>
	onChange(['surveys'], async () => (await runsOf(id, 1))[0]!.state !== 'under way');
async function surveyed(...given: Parameters<typeof asked>): Promise<string> {
	const { id } = must(await saveSurvey(await asked(...given), ACTOR));
	await over(id);
	return id;
}
async function outcomes(id: string): Promise<Record<string, string | null>> {
	const [run] = await runsOf(id, 1);
	return Object.fromEntries(
		(await addressesOf(run!.id, 500)).map(({ address, outcome }) => [address, outcome])
	);
}

describe('a survey', () => {
	const lodges: Lodge[] = [];
	const servers: Server[] = [];
	const lodge = (name: string): Lodge => {
		const made = new Lodge(name);
		lodges.push(made);
		return made;
	};
	// Of a maker that no other test loads another pack for
	before(
		async () =>
			void must(
				await loadPack(
					fennickPack((text) =>
						text
							.replace('"id": "fennick", "name": "Fennick"', '"id": "fennick-found", "name": "Fennick found"')
							.replace('"id": "fn-10"', '"id": "fn-10-found"')
							.replace('"name": "FN-10"', '"name": "FN-10 found"')
							.replace('"FNdddddddd"', '"FSdddddddd"')
							.replaceAll('fennick-os', 'fennick-found-os')
					),
					BOSS
				)
			)
	);
	after(() => {
		for (const one of lodges) one.end();
		for (const server of servers) server.close();
	});

	it('goes from neighbour to neighbour inside its ranges, and tells of each address what came of it', async () => {
		const [net, port, outer] = [network(), await aPort(), network()];
		const [hall, birch, cedar, elder] = [
			lodge('hall-gw'),
			lodge('birch-gw'),
			lodge('cedar-gw'),
			lodge('elder-gw')
		];
		const stranger = lodge('far-gw');
		elder.password = 'its own';
		hall.hears('lan1', birch, { neighbourPort: 'wan0', address: `${net}.2` });
		hall.hears('lan2', elder, { address: `${net}.4` });
		hall.hears('lan3', stranger, { address: `${outer}.9` });
		// Known by its address table alone
		hall.hears('lan4', cedar);
		hall.learnt.push({ mac: cedar.mac, port: 'lan4', address: `${net}.3` });
		hall.learnt.push({ mac: '06:00:00:00:12:34', port: 'lan5', address: `${net}.77` });
		// A loop, under another address of the hall's, and something that says no address at all
		birch.hears('wan0', hall, { neighbourPort: 'lan1', address: `${net}.11` });
		birch.neighbours.push({
			port: 'lan0',
			chassis: '06:00:00:00:00:97',
			neighbourPort: '',
			name: 'birch-tv',
			description: 'media box',
			address: ''
		});
		birch.neighbours.push({
			port: 'lan2',
			chassis: '06:00:00:00:00:99',
			neighbourPort: '',
			name: 'birch-ap\u202e',
			description: '',
			address: `${net}.5`
		});
		for (const [one, end] of [[hall, 1], [hall, 11], [birch, 2], [cedar, 3], [elder, 4]] as const) one.listen(`${net}.${end}`, port); // prettier-ignore
		let knocks = 0;
		servers.push(await listening(`${outer}.9`, port, () => (knocks += 1)));
		await login(fresh('keeper'), [`${net}.0/24`, `${outer}.0/24`], port);
		const id = await surveyed(`${net}.1`, `${net}.0/24`);
		expect(await outcomes(id)).to.deep.equal({
			[`${net}.1`]: 'in',
			[`${net}.2`]: 'in',
			[`${net}.3`]: 'in',
			[`${net}.4`]: 'login',
			[`${net}.5`]: 'port closed',
			[`${net}.11`]: 'in',
			[`${outer}.9`]: 'outside'
		});
		expect(knocks).to.equal(0);
		const { map, run } = (await newestMap(id))!;
		expect(run).to.include({ state: 'done', seen: 6, asked: 6, inside: 4 });
		const shown = Object.fromEntries(map.things.map((thing) => [thing.name, thing]));
		expect(Object.keys(shown)).to.have.members([
			'hall-gw', 'birch-gw', 'cedar-gw', 'elder-gw', 'far-gw', 'birch-tv', 'birch-ap\ufffd'
		]); // prettier-ignore
		expect(shown['hall-gw']).to.deep.include({
			outcome: 'in',
			model: 'vt-120',
			serial: hall.serial,
			version: '4.2.1',
			addresses: [`${net}.1`, `${net}.11`]
		});
		expect(shown['hall-gw']!.why.join()).to.match(/The same serial number/);
		expect(shown['elder-gw']).to.deep.include({ outcome: 'login', addresses: [`${net}.4`] });
		expect(shown['far-gw']!.outcome).to.equal(null);
		const cable = map.links.find(({ from, to }) => [from.port, to.port].sort().join() === 'lan1,wan0')!;
		expect(cable.seen).to.equal('both');
		const [plugged] = await whereIs(run.id, `${net}.77`, map);
		expect(plugged).to.deep.include({
			port: 'lan5',
			mac: '06:00:00:00:12:34',
			thing: shown['hall-gw']!.key,
			isBehind: false
		});
		expect(await whereIs(run.id, '00-12-34', map)).to.have.length(1);
		expect(await whereIs(run.id, 'nonsense', map)).to.deep.equal([]);

		// Again, with another release in one of them, and one that is gone
		birch.version = '4.3.0';
		cedar.end();
		must(await beginSurvey(id, ACTOR));
		await over(id);
		const again = (await newestMap(id))!;
		const changes = (await changesSince(await runsOf(id, 10), again.map))!;
		expect(changes.changed).to.deep.equal({
			[shown['birch-gw']!.key]: ['firmware 4.2.1 → 4.3.0'],
			[shown['cedar-gw']!.key]: ['let in before, now: port closed']
		});
		expect([...changes.isNew, ...changes.gone]).to.deep.equal([]);
	});

	it('shows no login often enough that an account would be locked, and goes on where one is good', async () => {
		const [net, port] = [network(), await aPort()];
		const all = Array.from({ length: 12 }, (_, at) => lodge(`lodge${at}-gw`));
		for (const [at, one] of all.entries()) one.listen(`${net}.${at + 1}`, port);
		const name = await login(fresh('wrong'), [`${net}.0/24`], port, { password: 'not this one' });
		const id = await surveyed(all.map((_, at) => `${net}.${at + 1}`).join(' '), `${net}.0/24`);
		const counts = Object.values(await outcomes(id));
		expect(counts.filter((outcome) => outcome === 'login')).to.have.length(5);
		expect(counts.filter((outcome) => outcome === 'held back')).to.have.length(7);
		// Changed, it is shown again, but nowhere that has refused three times
		await login(name, [`${net}.0/24`], port);
		must(await beginSurvey(id, ACTOR));
		await over(id);
		expect(Object.values(await outcomes(id)).filter((outcome) => outcome === 'in')).to.have.length(12);
	});

	it('knows other makers by what they answer, and says of the rest that nobody does', async () => {
		const [net, port] = [network(), await aPort()];
		const fennick = new Fennick(`FS${(process.pid % 900) + 100}70001`, '');
		servers.push(await listening(`${net}.1`, port, (socket) => fennick.answer(socket)));
		void listenAt(`${net}.2`, port, newHostKey(), () => [{ user: 'keeper', password: 'by the door' }], () => null, new AbortController().signal); // prettier-ignore
		await login(fresh('keeper'), [`${net}.0/24`], port);
		await login(fresh('operator'), [`${net}.1/32`], port, {
			user: 'operator',
			password: 'as the manual says'
		});
		const id = await surveyed(`${net}.1 ${net}.2 ${network()}.1`, '127.0.0.0/8');
		const [run] = await runsOf(id, 1);
		const rows = await addressesOf(run!.id, 10);
		expect(
			rows.map(({ outcome, serial }) => [outcome, serial]),
			rows.map(({ words }) => words).join('\n')
		).to.have.deep.members([
			['in', fennick.serial],
			['not understood', null],
			['no login', null]
		]);
		expect(rows.find(({ outcome }) => outcome === 'not understood')!.words).to.match(/no pack knows/);
	});

	it('is stopped in the middle, taken up after a death, and begun by the clock @long', async () => {
		const [net, port] = [network(), await aPort()];
		// It accepts, and never speaks
		servers.push(await listening(`${net}.1`, port, () => undefined));
		lodge('one-gw').listen(`${net}.2`, port);
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const { id } = must(await saveSurvey(await asked(`${net}.1 ${net}.2`, `${net}.0/24`), ACTOR));
		const stateOf = async (end: number) =>
			await unwalled()('survey_address')
				.where({ address: `${net}.${end}` })
				.orderBy('ordinal', 'desc')
				.first();
		await onChange(['surveys'], async () => (await stateOf(2)).state === 'done');
		expect(why(await beginSurvey(id, ACTOR))).to.equal('It is under way already.');
		must(await cancelSurvey(id, ACTOR));
		expect(await outcomes(id)).to.deep.equal({ [`${net}.1`]: 'not come to', [`${net}.2`]: 'in' });
		expect(why(await cancelSurvey(id, ACTOR))).to.equal('It is not under way.');

		// A run of another process, which died over it
		const dead = (await unwalled()('process').insert({ id: unwalled().raw('gen_random_uuid()'), name: 'dead', ended_at: new Date(), workers_released: true }).returning('id'))[0].id; // prettier-ignore
		const { id: left } = must(
			await saveSurvey(await asked(`${net}.2`, `${net}.0/24`, { every: 'day', atOnce: '1' }), ACTOR)
		);
		await over(left);
		const [run] = await runsOf(left, 1);
		await unwalled()('survey_address')
			.where({ run_id: run!.id })
			.update({ state: 'under way', outcome: null, process_id: dead });
		await unwalled()('survey_run').where({ id: run!.id }).update({ state: 'under way', ended_at: null });
		await over(left);
		expect(await outcomes(left)).to.deep.equal({ [`${net}.2`]: 'in' });

		await unwalled()('survey')
			.where({ id: left })
			.update({ next_at: new Date(Date.now() - 1000) });
		await onChange(['surveys'], async () => (await runsOf(left, 5)).length === 2);
		await over(left);
		expect((await runsOf(left, 1))[0]!.byWhom).to.equal('Limen');
		const { next_at: nextAt } = await unwalled()('survey').where({ id: left }).first('next_at');
		expect(nextAt.getTime()).to.be.greaterThan(Date.now() + 80_000_000);
	});

	it('is refused where it would be too large, or not for whoever wants it', async () => {
		const refused = async (begins: string, ranges: string) =>
			why(await saveSurvey(await asked(begins, ranges), ACTOR));
		expect(await refused('10.0.0.0/12', '10.0.0.0/8')).to.match(/^These are 1,048,576 addresses/);
		expect(await refused('10.0.0.1', '10.1.0.0/16')).to.match(/lies in none of the ranges/);
		const customer = await customerId(CUSTOMER);
		const technician = await actorOf(await newPerson({ [CUSTOMER]: 'technician' }));
		expect(why(await saveSurvey(await asked('10.0.0.1', '10.0.0.0/8'), technician))).to.match(
			/^Engineers of this customer/
		);
		const left = await unwalled()('survey')
			.where({ customer_id: customer })
			.whereRaw(`'10.0.0.0/8'::cidr = any (ranges)`);
		expect(left).to.have.length(0);
	});

	it('keeps where somebody dragged things, and is forgotten with all that it found', async () => {
		const [net, port] = [network(), await aPort()];
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const id = await surveyed(`${net}.1`, `${net}.0/24`);
		expect(await outcomes(id)).to.deep.equal({ [`${net}.1`]: 'port closed' });
		must(await keepSpots(id, { spots: [{ kind: 'group', key: 'birch', x: 10, y: 20 }] }, ACTOR));
		must(await keepSpots(id, { spots: [{ kind: 'group', key: 'birch', x: 30, y: 20 }] }, ACTOR));
		expect(await draggedIn(id)).to.deep.equal({ groups: { birch: { x: 30, y: 20 } }, things: {} });
		must(await keepSpots(id, { spots: [] }, ACTOR));
		expect((await draggedIn(id)).groups).to.deep.equal({});
		must(await dropSurvey(id, ACTOR));
		expect(why(await dropSurvey(id, ACTOR))).to.equal('It is gone already.');
	});

	it('hands what lets in to a take-on: claimed, reached where it was found, and read', async () => {
		const [net, port] = [network(), await aPort()];
		const [birch, cedar] = [lodge('birch-gw'), lodge('cedar-gw')];
		birch.hears('wan0', cedar, { address: `${net}.2` });
		birch.neighbours.push({
			port: 'lan0',
			chassis: '06:00:00:00:00:98',
			neighbourPort: '',
			name: 'tv',
			description: '',
			address: ''
		});
		birch.listen(`${net}.1`, port);
		cedar.listen(`${net}.2`, port);
		await login(fresh('keeper'), [`${net}.0/24`], port);
		const id = await surveyed(`${net}.1`, `${net}.0/24`);
		const { map } = (await newestMap(id))!;
		const keyOf = (name: string) => map.things.find((thing) => thing.name === name)!.key;
		const name = fresh('Found');
		const twins = [lodge('twin-gw'), lodge('other-twin-gw')] as const;
		twins[1].serial = twins[0].serial;
		twins.forEach((one, at) => one.listen(`${net}.${at + 20}`, port));
		const both = await surveyed(`${net}.20 ${net}.21`, `${net}.0/24`);
		const found = (await newestMap(both))!.map;
		expect(found.doubts.join()).to.match(/the same serial number/);
		expect(why(await takeOnFound(both, { name, thing: found.things.map(({ key }) => key) }, ACTOR))).to.match(
			new RegExp(`^${twins[0].serial} is claimed already`)
		);
		expect(why(await takeOnFound(id, { name, thing: [keyOf('tv')] }, ACTOR))).to.match(/^tv does not let in/);
		expect(await unwalled()('take_on').where({ name })).to.have.length(0);
		const begun = must(await takeOnFound(id, { name, thing: [keyOf('birch-gw'), keyOf('cedar-gw')] }, ACTOR));
		await onChange(['take-ons', 'work'], async () => {
			const now = (await takeOnById(begun.id))!;
			return now.units === 2 && now.learnt === now.wanted;
		});
		const units = await unitsOfTakeOn(begun.id);
		expect(units.map((unit) => [unit.name, unit.modelId])).to.deep.equal([
			['birch-gw', 'vt-120'],
			['cedar-gw', 'vt-120']
		]);
		const row = await unwalled()('unit').where({ serial: birch.serial }).first('id', 'mac', 'ownership');
		expect(row).to.include({ mac: birch.mac });
		expect((await newestMap(id))!.map.things.find((thing) => thing.name === 'birch-gw')!.known).to.include({
			unitId: row.id
		});
	});
});
