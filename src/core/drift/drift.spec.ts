import { expect } from 'chai';
import fc from 'fast-check';
import { NO_RULES, type Dialect } from '../config';
import { NOTHING_UNSHOWN } from '../profile';
import { findingsBetween, type Place } from '.';

const NOWHERE: Place = { grammar: null, names: {}, own: {}, particular: [], secrets: NOTHING_UNSHOWN };
const between = (
	intended: string,
	running: string,
	place: Partial<Place> = {},
	dialect: Dialect = 'indented'
) => {
	const looked = findingsBetween({ intended, running, dialect, rules: NO_RULES }, { ...NOWHERE, ...place });
	if (!looked.ok) throw new Error(looked.words);
	return looked.findings;
};
const path = (...steps: string[]) => [steps];
const grammar = {
	types: {},
	words: {},
	lifelines: {
		uplink: [path('port {port.uplink}', 'own-address *')],
		route: [path('route default *')],
		names: [path('name-server *')],
		time: [path('time-server *')],
		home: [path('call-home *')],
		login: [path('login *')]
	},
	cuts: [],
	risks: [{ path: ['remote-shell'], words: 'It is open.' }],
	network: { segments: [{ at: ['port {port.lan}'], address: ['own-address *'] }] }
};
const names = { 'port.uplink': 'wan0', 'port.lan': 'lan1' };

describe('what drifted', () => {
	it('is told with the block around it and all that is inside', () => {
		const [one, ...more] = between(
			'host a\nport lan1\n  speed 1000',
			'host a\nport lan1\n  speed 1000\nfilter x\n  deny a\n  allow b'
		);
		expect(more).to.deep.equal([]);
		expect(one).to.deep.include({
			kind: 'extra',
			path: [],
			should: null,
			runs: 'filter x\n  deny a\n  allow b'
		});
	});

	it('says where something stands that only its place has, or a secret, in it or around it', () => {
		const particular = (running: string) =>
			between('name birch-gw\nport lan1\n  label "Birch rooms"\n  mtu 1500\nntp a\nkey hush', running, {
				particular: ['birch-gw', 'Birch', 'lan2'],
				secrets: { values: ['hush'], leads: [] }
			}).map(({ isParticular }) => isParticular);
		const same = 'name birch-gw\nport lan1\n  label "Birch rooms"\n  mtu 1500\nntp a\nkey hush';
		expect(particular(same.replace('ntp a', 'ntp b'))).to.deep.equal([false]);
		expect(particular(same.replace('mtu 1500', 'mtu 1400'))).to.deep.equal([false]);
		expect(particular(same.replace('name birch-gw', 'name elm-gw'))).to.deep.equal([true]);
		expect(particular(same.replace('"Birch rooms"', '"Rooms"'))).to.deep.equal([true]);
		expect(particular(same.replace('hush', 'other'))).to.deep.equal([true]);
		// A block of the place's own holds nothing that is common; a part of a word is no value
		expect(particular(`${same}\nport lan2\n  mtu 9000`)).to.deep.equal([true]);
		expect(particular(`${same}\nnote birch-gws`)).to.deep.equal([false]);
	});

	it('says what it touches', () => {
		const touched = (running: string) =>
			between(
				'port wan0\n  own-address dhcp\n  mtu 1500\nname-server 1.1.1.1\nport lan1\n  own-address 10.0.0.1/24\nbanner hello\nkey hush',
				running,
				{ grammar, names, secrets: { values: ['hush'], leads: [] } }
			).map(({ touches }) => touches);
		const base = {
			wan: 'own-address dhcp\n  mtu 1500',
			names: '1.1.1.1',
			lan: '10.0.0.1/24',
			banner: 'hello',
			key: 'hush',
			more: ''
		};
		const text = (one: Partial<typeof base>) => {
			const { wan, names: server, lan, banner, key, more } = { ...base, ...one };
			return `port wan0\n  ${wan}\nname-server ${server}\nport lan1\n  own-address ${lan}\nbanner ${banner}\nkey ${key}\n${more}`;
		};
		expect(touched(text({}))).to.deep.equal([]);
		expect(touched(text({ wan: 'own-address 10.9.9.9/24\n  mtu 1500' }))).to.deep.equal(['uplink']);
		expect(touched(text({ names: '9.9.9.9' }))).to.deep.equal(['management']);
		expect(touched(text({ lan: '10.0.0.2/24' }))).to.deep.equal(['access']);
		expect(touched(text({ key: 'other' }))).to.deep.equal(['security']);
		expect(touched(text({ more: 'remote-shell' }))).to.deep.equal(['security']);
		expect(touched(text({ banner: 'hi' }))).to.deep.equal(['nothing of these']);
		expect(touched(text({ wan: 'own-address dhcp\n  mtu 1400' }))).to.deep.equal(['uplink']);
	});

	it('is the same at several units when only their own values differ', () => {
		const at = (host: string, lan: string, server: string) =>
			between(`host ${host}\nport lan1\n  own-address ${lan}`, `host ${host}\nntp ${server} from ${host}`, {
				own: { hostname: host, lan_address: lan }
			}).map(({ same }) => same);
		expect(at('rata-gw1', '10.1.0.1/24', '192.0.2.9')).to.deep.equal(
			at('rimu-gw1', '10.2.0.1/24', '192.0.2.9')
		);
		expect(at('rata-gw1', '10.1.0.1/24', '192.0.2.9')).to.not.deep.equal(
			at('rimu-gw1', '10.2.0.1/24', '192.0.2.8')
		);
		// A longer word that begins like one of its own is another word
		const [one] = between('a', 'a\nserver rata-gw12', { own: { hostname: 'rata-gw1' } });
		expect(one!.same).to.include('rata-gw12');
	});

	it('shows no secret, and tells another secret for another finding', () => {
		const secret = fc.stringMatching(/^[a-z0-9]{6,12}$/);
		fc.assert(
			fc.property(secret, secret, secret, (should, is, later) => {
				fc.pre(
					new Set([should, is, later]).size === 3 &&
						![should, is, later].some((one) => 'tunnel secret keyhash'.includes(one))
				);
				const secrets = { values: [should], leads: [] };
				const [one] = between(
					`tunnel t\n  secret ${should}\n  key ${should}x`,
					`tunnel t\n  secret ${is}\n  key ${should}x`,
					{ secrets }
				);
				const { key, same, ...shown } = one!;
				expect(JSON.stringify(shown)).to.not.include(should).and.not.include(is);
				const [next] = between(
					`tunnel t\n  secret ${should}\n  key ${should}x`,
					`tunnel t\n  secret ${later}\n  key ${should}x`,
					{ secrets }
				);
				expect(next!.key).to.not.equal(key);
				expect(same).to.be.a('string');
			})
		);
	});

	it('names an item of a list by its key', () => {
		const text = (...ssids: string[]) =>
			JSON.stringify({ networks: ssids.map((ssid, vlan) => ({ ssid, vlan })) });
		expect(between(text('Staff', 'Guests'), text('Staff'), {}, 'json')).to.have.lengthOf(1);
		expect(between(text('Staff', 'Guests'), text('Staff'), {}, 'json')[0]).to.deep.include({
			kind: 'missing',
			path: ['networks'],
			should: '{\n  "ssid": "Guests",\n  "vlan": 1\n}'
		});
	});

	it('says what cannot be read, and stays bounded', () => {
		expect(
			findingsBetween({ intended: 'a', running: 'a "b', dialect: 'indented', rules: NO_RULES }, NOWHERE)
		).to.deep.equal({
			ok: false,
			words: 'What it runs cannot be read: line 1: A quotation mark is left open.'
		});
		const many = Array.from({ length: 5_000 }, (_, at) => `word${at} x`).join('\n');
		const looked = findingsBetween(
			{ intended: '', running: many, dialect: 'indented', rules: NO_RULES },
			NOWHERE
		);
		expect(looked.ok && [looked.findings.length, looked.more]).to.deep.equal([300, 4_700]);
	});
});
