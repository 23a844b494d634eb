import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import fc from 'fast-check';
import { comparing, NO_RULES, parseConfig, printConfig, compareTrees } from '../../../src/core/config';
import { readIntake } from '../../../src/core/intake';
import { database } from '../../../src/lib/server/database';
import { intakeModels } from '../../../src/lib/server/intake';
import { currentPack } from '../../../src/lib/server/packs';
import { readAnswer, type Talk } from '../../../src/core/pack';
import { patternOf } from '../../../src/core/pattern';
import { renderingSources, renderPosition, strandingAt } from '../../../src/lib/server/profile';
import {
	decode,
	decodeBootstrapServers,
	encode,
	encodeBootstrapServers,
	requestLease,
	serveDhcp
} from '../../../standins/network/dhcp';
import { resolveName, serveNames } from '../../../standins/network/names';
import { askTime, serveTime } from '../../../standins/network/time';
import { Changes } from '../../../standins/units/configuration/changes';
import {
	canInstall,
	firstRejected,
	grammarOf,
	GRAMMARS,
	withoutWord
} from '../../../standins/units/configuration/grammar';
import { firstSenseless } from '../../../standins/units/configuration/sense';
import { NO_IMAGES, type Fetched, type Images } from '../../../standins/units/images';
import { wiringOf } from '../../../standins/units/configuration/wiring';
import { MAKERS } from '../../../standins/units/makers';
import { Inventory } from '../../../standins/inventory/service';
import { PostBox } from '../../../standins/mail/post-box';
import { ALONE } from '../../../standins/network/fabric';
import { openRegistries } from '../../../standins/registry/open';
import { serveYard } from '../../../standins/yard/server';
import { Yard } from '../../../standins/yard/store';

const MAC = '02:00:00:00:00:07';
const CHANGES = new Changes(
	{ version: '1', configuration: '', hostKey: '' },
	() => null,
	() => undefined
);
const DEVICE = {
	serial: 'S',
	version: '1',
	configuration: '',
	network: ALONE,
	changes: CHANGES,
	images: NO_IMAGES,
	restart: () => undefined
};

import { TEST_SITE, unwalled } from '../making';

const LEARNT = { mac: '06:00:00:00:00:02', port: 'p1', address: '192.0.2.7' };
const SEEN = {
	...DEVICE,
	network: {
		...ALONE,
		neighbours: () => [
			{
				port: 'p1',
				chassis: MAC,
				neighbourPort: 'p2',
				name: 'ap-1',
				description: 'a thing, release 1',
				address: '192.0.2.9'
			}
		],
		learnt: () => [LEARNT]
	}
};
const LLDP_ROW = {
	port: 'p1',
	chassis: MAC,
	neighbour_port: 'p2',
	name: 'ap-1',
	description: 'a thing, release 1',
	address: '192.0.2.9'
};

describe('the simulated network', () => {
	it('writes and reads DHCP messages and option 143', () => {
		fc.assert(
			fc.property(fc.array(fc.webUrl(), { maxLength: 4 }), fc.nat(2 ** 31), (uris, transaction) => {
				expect(decodeBootstrapServers(encodeBootstrapServers(uris))).to.deep.equal(uris);
				const message = {
					operation: 1,
					transaction,
					mac: MAC,
					yourAddress: '100.64.0.9',
					options: new Map([[53, Buffer.from([1])]])
				};
				expect(decode(encode(message))).to.deep.equal(message);
			})
		);
		expect(decode(Buffer.from('not dhcp'))).to.equal(null);
	});

	it('gives a lease with the bootstrap server’s address to whoever may have one, and nobody else', async () => {
		const offer = {
			nameServer: '127.0.0.1',
			timeServer: '127.0.0.1',
			bootstrapServers: ['http://bootstrap.limen.example:4080']
		};
		const server = await serveDhcp(
			0,
			() => offer,
			(mac) => mac === MAC
		);
		const { port } = server.address();
		expect(await requestLease(port, MAC, 3000)).to.deep.equal({ ...offer, address: '100.64.0.10' });
		expect((await requestLease(port, MAC, 3000))!.address).to.equal('100.64.0.10');
		expect(await requestLease(port, '02:00:00:00:00:08', 150)).to.equal(null);
		server.close();
	});

	it('resolves the one name it knows, and tells the time', async () => {
		const [names, time] = [await serveNames(0, ['bootstrap.limen.example'], '127.0.0.1'), await serveTime(0)];
		expect(await resolveName('bootstrap.limen.example', '127.0.0.1', names.address().port)).to.equal(
			'127.0.0.1'
		);
		expect(await resolveName('other.limen.example', '127.0.0.1', names.address().port)).to.equal(null);
		expect(Math.abs((await askTime('127.0.0.1', time.address().port))! - Date.now())).to.be.lessThan(5_000);
		names.close();
		time.close();
		expect(await askTime('127.0.0.1', 9, 100)).to.equal(null);
	});
});

describe('the simulated units', () => {
	it('accept every line of every demo rendering, and print it back as the same configuration', async () => {
		const positions: string[] = (
			await unwalled()('position')
				.join('site', 'site.id', 'site_id')
				// Not what other tests have planned
				.whereNot('site.name', 'like', `${TEST_SITE} %`)
				.whereRaw(`(role_id = 'access-point' or jsonb_exists(site.values, 'networks'))`)
				.select('position.id')
		).map(({ id }) => id);
		const sources = await renderingSources(database(), positions);
		expect(sources.size).to.be.greaterThan(100);
		for (const source of sources.values()) {
			const rendering = renderPosition(source);
			if (!rendering.ok)
				throw new Error(`${source.siteName} ${source.positionName}: ${rendering.problems[0]!.message}`);
			const { dialect } = source.model!;
			const reading = parseConfig(rendering.text, dialect);
			if (!reading.ok) throw new Error(reading.problems[0]!.message);
			expect(strandingAt(source, rendering)).to.deep.equal([]);
			const { makerId } = await unwalled()('model').where({ dialect }).first('maker_id as makerId');
			const device = MAKERS[makerId]!;
			const statements = device.format.read(rendering.text);
			expect(
				firstRejected(statements, GRAMMARS[makerId]!),
				`${source.siteName} ${source.positionName}`
			).to.equal(null);
			const { talks, dialects } = (await currentPack(makerId))!;
			const printed = device.answer(talks.console!.asks.configuration!.say[0]!, {
				...DEVICE,
				configuration: rendering.text
			}) as string;
			const again = parseConfig(printed, dialect);
			if (!again.ok) throw new Error(again.problems[0]!.message);
			expect(printed).to.not.equal(printConfig(reading.tree, dialect));
			expect(
				compareTrees(reading.tree, again.tree, comparing(dialect, { ...NO_RULES, ...dialects[dialect] }))
			).to.deep.equal([]);
			expect(device.home(statements)).to.include({ user: 'limen', host: '127.0.0.1' });
		}
	});

	it('answer what their packs ask, and nothing else', async () => {
		for (const [maker, { answer, netconf }] of Object.entries(MAKERS)) {
			const [talk] = Object.values((await currentPack(maker))!.talks) as [Talk];
			const asked = (ask: 'version' | 'serial', more: object) => {
				const device = { ...DEVICE, ...more };
				const said = netconf ? netconf(device).state() : (answer(talk.asks[ask]!.say[0]!, device) as string);
				return readAnswer(talk, ask, said);
			};
			expect(asked('version', { version: '4.2.1' })).to.deep.include({ rows: [{ version: '4.2.1' }] });
			expect(asked('serial', { serial: 'X1Y2' })).to.deep.include({
				rows: [{ serial: 'X1Y2', ...ALONE.self }]
			});
			const heard = netconf ? netconf(SEEN).state() : (answer(talk.asks.neighbours!.say[0]!, SEEN) as string);
			expect(readAnswer(talk, 'neighbours', heard), maker).to.deep.include({ rows: [LLDP_ROW] });
			if (talk.asks.learnt) {
				const seen = netconf ? netconf(SEEN).state() : (answer(talk.asks.learnt.say[0]!, SEEN) as string);
				expect(readAnswer(talk, 'learnt', seen), maker).to.deep.include({ rows: [LEARNT] });
			}
			const images = Object.assign(Object.create(DEVICE.images) as Images, {
				fetched: { state: 'none' } as Fetched
			});
			const doing = (fetched: Fetched) => {
				images.fetched = fetched;
				const device = { ...DEVICE, images };
				const said = netconf ? netconf(device).state() : (answer(talk.asks.image!.say[0]!, device) as string);
				const read = readAnswer(talk, 'image', said);
				if (!read.ok) throw new Error(`${maker}: ${read.problem}`);
				const { state, percent, words } = read.rows[0]!;
				const is = (one: 'ready' | 'failed') => patternOf(talk.flash![one]).isIn(state!);
				return [is('ready'), is('failed'), percent || null, words || null];
			};
			expect(doing({ state: 'none' })).to.deep.equal([false, false, null, null]);
			expect(doing({ state: 'fetching', version: '9', percent: 40 })).to.deep.equal([
				false,
				false,
				'40',
				null
			]);
			expect(doing({ state: 'ready', version: '9' })).to.deep.equal([true, false, null, null]);
			expect(doing({ state: 'failed', version: '9', words: 'no room: 3' })).to.deep.equal([
				false,
				true,
				null,
				'no room: 3'
			]);
			expect(readAnswer(talk, 'version', 'something else altogether').ok).to.equal(false);
			expect(answer('rm -rf /', DEVICE)).to.equal(null);
		}
		expect(await currentPack('nobody')).to.equal(null);
		expect(await currentPack('constructor')).to.equal(null);
	});

	it('reject a line they do not know, with its number and the device’s own words', () => {
		const problem = (text: string) => {
			return firstRejected(MAKERS.veltrane!.format.read(text), GRAMMARS.veltrane!);
		};
		expect(problem('hostname a\nport wan0\n  own-address 10.0.0.1/24')).to.equal(null);
		expect(problem('hostname a\nport wan9')).to.deep.equal({
			line: 2,
			message: 'bad value "wan9" after "port"'
		});
		expect(problem('port wan0\n  dance')).to.deep.equal({
			line: 2,
			message: 'unknown word "dance" in "port wan0"'
		});
		expect(problem('hostname a\n  b')).to.deep.equal({ line: 1, message: '"hostname" opens no block' });
		expect(problem('constructor x')!.message).to.match(/unknown word/);
		for (const [maker, { newWord }] of Object.entries(MAKERS)) {
			expect(GRAMMARS[maker]).to.have.property(newWord);
			expect(withoutWord(GRAMMARS[maker]!, newWord)).to.not.have.property(newWord);
		}
	});

	it('know what their release knows, take only images that fit over it, and refuse what makes no sense', () => {
		const segment = 'segment guests\n  own-address 10.1.0.1/24\n  keep-apart\n';
		const rejects = (release: string) =>
			firstRejected(MAKERS.veltrane!.format.read(segment), grammarOf('veltrane', release));
		expect(rejects('4.0.7')).to.deep.equal({
			line: 3,
			message: 'unknown word "keep-apart" in "segment guests"'
		});
		expect(rejects('4.2.1')).to.equal(null);
		expect([canInstall('okapira', '7.0.3', '6.5.0'), canInstall('okapira', '7.0.3', '6.8.2')]).to.deep.equal([
			false,
			true
		]);
		expect(canInstall('okapira', '6.8.2', '6.5.0')).to.equal(true);
		const senseless = (text: string) => firstSenseless(wiringOf('veltrane', text)!);
		expect(senseless(`${segment}port lan0\n  own-address 10.1.0.129/25\n`)).to.include({ line: 5 });
		expect(senseless('port lan0\n  own-address 10.1.0.1/24\n  hand-out 10.1.0.9 to 10.1.1.9\n')).to.include({
			line: 3
		});
		expect(senseless('port lan0\n  own-address 10.1.0.1/24\n  hand-out 10.1.0.9 to 10.1.0.8\n')).to.include({
			line: 3
		});
		expect(senseless('port lan0\n  own-address 10.1.0.1/24\n  hand-out 10.1.0.9 to 10.1.0.9\n')).to.equal(
			null
		);
	});
});

describe('the demo’s lists', () => {
	it('hold units that the yard has, and a delivery note with exactly the faults it is meant to have', async () => {
		const models = await intakeModels(database());
		const yard = JSON.parse(readFileSync('demo/yard.json', 'utf8')) as {
			serial: string;
			mac: string;
			claimCode: string;
		}[];
		const known = new Map(yard.map((unit) => [unit.serial, unit]));
		for (const name of ['marlstone-veterinary', 'pippin-loaf', 'southfold-physio']) {
			const reading = readIntake(readFileSync(`demo/claimed-${name}.csv`, 'utf8'), models);
			if (!reading.ok) throw new Error(reading.problem);
			for (const row of reading.rows) {
				expect(row.problems, row.raw).to.be.empty;
				expect(row.mac).to.equal(known.get(row.serial)!.mac);
			}
		}
		const note = readIntake(readFileSync('demo/delivery-note.csv', 'utf8'), models);
		if (!note.ok) throw new Error(note.problem);
		const bad = note.rows.filter(({ problems }) => problems.length > 0);
		expect(bad).to.have.lengthOf(2);
		expect(bad[0]!.repairs.map(({ serial }) => known.has(serial))).to.include(true);
		expect(bad[1]!.repairs).to.be.empty;
	});
});

describe('the yard’s panel', () => {
	const folder = mkdtempSync(join(tmpdir(), 'limen-yard-'));
	const label = {
		serial: 'OG2K00000001',
		mac: MAC,
		claimCode: 'AAAABBBB',
		model: 'OG-2',
		maker: 'okapira',
		version: '1.0.0'
	};
	const world = { dhcpPort: 9, dnsPort: 9, timePort: 9, pace: 0, logPort: 9, trust: null };
	let url = '';
	let close: () => void;
	const opened = () => {
		const list = join(folder, 'units.json');
		writeFileSync(list, JSON.stringify([label]));
		return openRegistries(list, undefined, true, new Map(), join(folder, 'registries.json'));
	};
	const { registries, keep } = opened();

	before(async () => {
		const server = await serveYard(
			{
				yard: new Yard([label], join(folder, 'flash.json'), world),
				postBox: new PostBox(),
				registries,
				inventory: new Inventory([])
			},
			0,
			'127.0.0.1'
		);
		url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
		close = () => server.close();
	});
	after(() => close());

	const order = (serial: string, body: string, type = 'application/json') =>
		fetch(`${url}/units/${serial}`, { method: 'POST', body, headers: { 'content-type': type } });

	it('shows its page and its units', async () => {
		expect(await fetch(url).then((answer) => answer.text())).to.include('The yard');
		const { units } = await fetch(`${url}/units`).then((answer) => answer.json());
		expect(units[0]).to.include({ serial: label.serial, power: false, doing: 'off', version: '1.0.0' });
	});

	it('refuses what it cannot obey, and lives on', async () => {
		expect((await order('NOBODY', '{}')).status).to.equal(404);
		expect((await order(label.serial, '{}', 'text/plain')).status).to.equal(415);
		for (const body of [
			'{',
			'{"power":"on"}',
			'{"faults":["meteor"]}',
			'{"cable":"rope"}',
			'x'.repeat(20_000)
		])
			expect((await order(label.serial, body)).status, body.slice(0, 30)).to.equal(400);
		expect((await fetch(`${url}/elsewhere`)).status).to.equal(404);
		expect((await fetch(url)).status).to.equal(200);
	});

	it('keeps flash, cable and faults over a restart of its own', async () => {
		expect(
			(await order(label.serial, JSON.stringify({ faults: ['no-name'], cable: 'lan' }))).status
		).to.equal(200);
		const again = new Yard([label], join(folder, 'flash.json'), world).units.get(label.serial)!;
		expect([...again.faults]).to.deep.equal(['no-name']);
		expect(again.cable).to.equal('lan');
		expect(again.flash.hostKey).to.match(/PRIVATE KEY/);
		writeFileSync(join(folder, 'broken.json'), '{');
		expect(new Yard([label], join(folder, 'broken.json'), world).units.size).to.equal(1);
	});

	it('knows over a restart whose units are, and where they are sent', async () => {
		const ask = (what: string, more: object) =>
			fetch(`${url}/registry/okapira/${what}`, {
				method: 'POST',
				body: JSON.stringify({ account: 'us', bootstrapServer: 'https://limen.example:1', ...more })
			});
		const unit = (serial: string) => ({ serial, mac: null, claimCode: 'AAAABBBB' });
		const units = [unit(label.serial), unit('OG2K00000002')];
		expect((await (await ask('claims', { units })).json()).units[0].result).to.equal('claimed');
		await ask('releases', { units: [{ serial: 'OG2K00000002' }] });
		keep();
		const again = opened().registries.get('okapira')!;
		expect(again.ownerOf(label.serial)).to.equal('us');
		expect(again.sentTo(label.serial)).to.include({ uri: 'https://limen.example:1' });
		expect(again.ownerOf('OG2K00000002')).to.equal(null);
		expect(again.kept).to.deep.equal(registries.get('okapira')!.kept);
	});
});
