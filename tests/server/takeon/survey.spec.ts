import { expect } from 'chai';
import {
	addressesOf,
	beginSurvey,
	changesSince,
	newestMap,
	runsOf,
	whereIs
} from '../../../src/lib/server/survey';
import { listenAt, newHostKey } from '../../../standins/units/home';
import { Fennick } from '../../fennick';
import { ACTOR } from '../making';
import { fresh, must } from '../profile/profile-making';
import {
	loadFound,
	endAll,
	network,
	aPort,
	lodge,
	servers,
	listening,
	login,
	surveyed,
	outcomes,
	over
} from './survey-making';

describe('a survey', () => {
	before(loadFound);
	after(endAll);

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
});
