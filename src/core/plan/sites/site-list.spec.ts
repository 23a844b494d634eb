import { expect } from 'chai';
import fc from 'fast-check';
import type { Field } from '../../profile';
import { compareStamping, type StampWorld, type StandingSite } from '../stamping';
import { readSiteList, type ValueColumn } from './site-list';
import { factsFrom, readFact } from './site-facts';

const field = (name: string, type: Field['type']): Field => ({
	name,
	type,
	description: '',
	example: '',
	need: 'required',
	scope: 'site'
});
const COLUMNS: readonly ValueColumn[] = [
	{ position: null, field: field('lan', { kind: 'prefix' }), secret: false },
	{ position: 'gw-1', field: field('vlan', { kind: 'vlan' }), secret: false },
	{ position: 'gw-1', field: field('tunnel_secret', { kind: 'secret' }), secret: true }
];
const HEAD = ['Site', 'street', 'Town', 'lat', 'lng', 'uplink type', 'appointment', 'lan', 'gw-1 vlan'];
const ROW = [
	'Queen Street',
	'1 Queen Street',
	'Nelson',
	'-41,27',
	'173.28',
	'Fibre',
	'2026-12-01 09:30',
	'10.1.0.0/24',
	'30'
];
const read = (cells: string[][]) => {
	const reading = readSiteList(cells, COLUMNS, (cell) => cell === '****');
	if (!reading.ok) throw new Error(reading.problem);
	return reading;
};

const WORLD: StampWorld = {
	pattern: {
		siteValues: {},
		places: [{ id: 'p', name: 'gw-1', roleId: 'gateway', profileId: 'x', values: {} }]
	},
	sites: new Map(),
	like: { timeZone: 'Pacific/Auckland' },
	technicians: new Map([['tobias venn', 't']]),
	profileName: () => 'Clinic gateway',
	isSecret: (name) => name === 'tunnel_secret'
};

describe('a list of sites', () => {
	it('is read by its headings, in whatever words and order', () => {
		fc.assert(
			fc.property(fc.shuffledSubarray([...HEAD.keys()], { minLength: HEAD.length }), (order) => {
				const cells = [HEAD, ROW].map((row) => order.map((index) => row[index]!));
				const [line] = read(cells).lines;
				expect(line!.problems).to.deep.equal([]);
				expect(line!.facts).to.deep.equal({
					name: 'Queen Street',
					street: '1 Queen Street',
					locality: 'Nelson',
					latitude: -41.27,
					longitude: 173.28,
					uplink: 'fibre'
				});
				expect(line!.siteValues).to.deep.equal({ lan: '10.1.0.0/24' });
				expect([...line!.positionValues]).to.deep.equal([['gw-1', { vlan: 30 }]]);
			})
		);
	});
	it('says of each row what is wrong with it, and goes on', () => {
		const { lines } = read([
			['site', 'latitude', 'time zone', 'uplink', 'lan', 'sim'],
			['A', '', '', '', '', ''],
			['a', '', '', '', '', ''],
			['', '-41', 'Nowhere/Here', 'carrier pigeon', '10.0.0.0/99', '12'],
			['# explains', '', '', '', '', '']
		]);
		expect(lines.map(({ problems }) => problems.length)).to.deep.equal([0, 1, 6]);
		expect(lines[1]!.problems[0]).to.equal('“a” stands in line 2 already.');
	});
	it('tells a heading that nobody knows, with the one that was perhaps meant', () => {
		expect(
			read([
				['site', 'adress', 'lann', 'colour of the door'],
				['A', '', '', '']
			]).unknown
		).to.deep.equal([
			{ heading: 'adress', meant: 'address' },
			{ heading: 'lann', meant: 'lan' },
			{ heading: 'colour of the door', meant: null }
		]);
	});
	it('is refused as a whole without sites, without their column, or with a column twice', () => {
		const problem = (cells: string[][]) => {
			const reading = readSiteList(cells, COLUMNS);
			return reading.ok ? 'read' : reading.problem;
		};
		expect(problem([])).to.match(/no column “site”/);
		expect(problem([['street'], ['x']])).to.match(/no column “site”/);
		expect(problem([['site']])).to.match(/no site in this list/);
		expect(
			problem([
				['site', 'town', 'city'],
				['A', '', '']
			])
		).to.match(/“locality” stands twice/);
	});
	it('leaves a secret that is shown concealed as it is', () => {
		const [line] = read([
			['site', 'gw-1 tunnel_secret'],
			['A', '****']
		]).lines;
		expect([...line!.positionValues]).to.deep.equal([]);
	});
});

describe('facts of a site', () => {
	it('refuse what they cannot be, never throwing', () => {
		fc.assert(
			fc.property(
				fc.constantFrom('latitude', 'sim', 'apn', 'timeZone', 'uplink', 'name'),
				fc.anything(),
				(name, given) => {
					expect(readFact(name as 'name', given).ok).to.be.a('boolean');
				}
			)
		);
		expect(readFact('latitude', '91').ok).to.equal(false);
		expect(readFact('latitude', '−41.5')).to.deep.equal({ ok: true, value: -41.5 });
		expect(readFact('timeZone', '+13:00').ok).to.equal(false);
		expect(readFact('sim', '8964 0123 4567 8901 234')).to.deep.equal({
			ok: true,
			value: '8964012345678901234'
		});
	});
});

describe('comparing a list before it is stamped', () => {
	const { lines } = read([HEAD, ROW, ['Beach', '', '', '', '', '', '2026-09-27 02:30', '', '']]);

	it('tells new sites, and appointments that cannot be', () => {
		const rows = compareStamping(lines, WORLD);
		expect(rows.map(({ verdict }) => verdict)).to.deep.equal(['new', 'wrong']);
		expect(rows[0]!.facts.timeZone).to.equal('Pacific/Auckland');
		expect(new Date(rows[0]!.appointmentAt!).toISOString()).to.equal('2026-11-30T20:30:00.000Z');
		expect(rows[1]!.problems[0]).to.match(/^appointment: .*skipped or comes twice/);
	});
	it('finds the same when it is compared again after stamping, and each difference otherwise', () => {
		const [row] = compareStamping(lines, WORLD);
		const standing: StandingSite = {
			id: 's',
			facts: row!.facts,
			appointmentAt: row!.appointmentAt,
			technicianId: null,
			values: row!.siteValues,
			stamped: {},
			places: [
				{
					id: 'q',
					name: 'gw-1',
					roleId: 'gateway',
					profileId: 'x',
					values: { vlan: 30 },
					patternPlaceId: 'p',
					stamped: { profileId: 'x', values: {} },
					hasHistory: true
				}
			]
		};
		const again = (site: StandingSite) =>
			compareStamping(lines.slice(0, 1), { ...WORLD, sites: new Map([['queen street', site]]) })[0]!;
		expect(again(standing)).to.deep.include({ verdict: 'same', siteId: 's', differences: [] });
		const other = again({
			...standing,
			facts: factsFrom({ name: 'Queen Street', contact: 'Hana Terei', uplink: 'dsl' }, standing.facts),
			values: { lan: '10.9.0.0/24' },
			places: []
		});
		expect(other.verdict).to.equal('differs');
		const said = Object.fromEntries(other.differences.map(({ what, was, now }) => [what, [was, now]]));
		expect(said).to.deep.include({
			uplink: ['dsl', 'fibre'],
			lan: ['10.9.0.0/24', '10.1.0.0/24'],
			'gw-1 vlan': ['', '30'],
			'position gw-1': ['', 'Clinic gateway']
		});
		// Of which the list says nothing
		expect(said).not.to.have.property('contact');
	});
});
