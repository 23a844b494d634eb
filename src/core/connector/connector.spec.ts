import { expect } from 'chai';
import fc from 'fast-check';
import type { ValueColumn } from '../plan';
import {
	compareRecords,
	joined,
	lostMuch,
	mapTable,
	nextInLink,
	positionsThere,
	readTable,
	sitesThere,
	suggestMapping,
	siteTargets,
	type Here,
	type Remembered,
	type There
} from '.';

const WHOLE = { records: '', next: '' };
const read = (text: string, places = WHOLE) => {
	const reading = readTable(text, places);
	if (!reading.ok) throw new Error(reading.problem);
	return reading;
};
const problemOf = (text: string, places = WHOLE): string => {
	const reading = readTable(text, places);
	return reading.ok ? '' : reading.problem;
};

describe('what a source answers with', () => {
	it('is CSV with whichever mark between its cells, or JSON with its values under their paths', () => {
		expect(read('id;Site name\r\n7;"Wharf; north"\r\n').table).to.deep.equal({
			isSparse: false,
			headings: ['id', 'Site name'],
			rows: [['7', 'Wharf; north']]
		});
		const json = {
			data: { items: [{ id: 7, place: { city: 'Nelson', 'a/b': null }, tags: ['x', 'y'], open: true }] },
			paging: { next: '/sites?page=2' }
		};
		expect(read(JSON.stringify(json), { records: '/data/items', next: '/paging/next' })).to.deep.equal({
			ok: true,
			table: {
				isSparse: true,
				headings: ['id', 'place/city', 'place/a~1b', 'tags', 'open'],
				rows: [['7', 'Nelson', '', 'x, y', 'true']]
			},
			next: '/sites?page=2'
		});
	});

	it('is refused where it is a web page, nothing, cut off, no list, or a list of something else, with what to do', () => {
		expect(problemOf('<!doctype html><html>')).to.contain('web page');
		expect(problemOf('  \n')).to.equal('There is nothing in it.');
		expect(problemOf('{"items": [')).to.contain('begins as JSON');
		expect(problemOf('a,b\n1,"two')).to.contain('cut off');
		expect(problemOf('{"sites":[]}')).to.contain('/sites');
		expect(problemOf('{"sites":[]}', { records: '/items', next: '' })).to.contain('There is one at /sites');
		expect(problemOf('[1, 2]')).to.contain('Item 1');
		expect(problemOf('a,a\n1,2')).to.contain('stands twice');
		expect(problemOf(`[${'{},'.repeat(50_001).slice(0, -1)}]`)).to.contain('50,000');
	});

	it('never throws, whatever it is', () => {
		fc.assert(
			fc.property(fc.oneof(fc.string(), fc.json()), fc.json(), (text, pointer) => {
				readTable(text, { records: `/${pointer.replaceAll('~', '')}`, next: '/__proto__' });
			})
		);
	});

	it('comes in pages that are joined by their headings', () => {
		expect(
			joined([
				{ headings: ['id', 'a'], rows: [['1', 'x']], isSparse: true },
				{ headings: ['b', 'id'], rows: [['y', '2']], isSparse: true }
			])
		).to.deep.equal({
			isSparse: true,
			headings: ['id', 'a', 'b'],
			rows: [
				['1', 'x', ''],
				['2', '', 'y']
			]
		});
		expect(
			nextInLink('<https://a.example/?p=1>; rel="prev", </s?p=3,4>; title="x"; rel="last next"')
		).to.equal('/s?p=3,4');
		expect(nextInLink('<a>; rel=next')).to.equal('a');
		expect(nextInLink('<a>; rel="nextcloud"')).to.equal(null);
		expect(nextInLink(undefined)).to.equal(null);
	});
});

describe('mapping a source', () => {
	const table = read('site_id,siteName,address/city,Latitude,remark\n1,Wharf,Nelson,-41.2,x\n').table;
	const targets = siteTargets([]);

	it('is guessed from what its columns are called, each of ours once', () => {
		expect(suggestMapping(table.headings, targets)).to.deep.equal({
			key: 'site_id',
			columns: [
				{ from: 'siteName', to: 'site' },
				{ from: 'address/city', to: 'locality' },
				{ from: 'Latitude', to: 'latitude' }
			]
		});
		fc.assert(
			fc.property(fc.array(fc.constantFrom('Town', 'city', 'place', 'name', 'site')), (headings) => {
				const given = suggestMapping([...new Set(headings)], targets).columns.map(({ to }) => to);
				expect(given).to.have.length(new Set(given).size);
			})
		);
	});

	it('offers each of our columns once, and no secret', () => {
		const field = (name: string, kind = 'text') =>
			({ position: null, secret: false, field: { name, type: { kind } } }) as unknown as ValueColumn;
		const offered = siteTargets([
			field('contact'),
			field('vlan'),
			field('ssid'),
			field('passphrase', 'secret')
		]);
		const names = offered.map(({ to }) => to);
		expect(names).to.include.members(['site', 'contact', 'vlan', 'ssid']).and.to.not.include('passphrase');
		expect(names).to.have.length(new Set(names).size);
	});

	it('refuses other columns than before and an empty list, and marks records that cannot be told apart', () => {
		const mapping = suggestMapping(table.headings, targets);
		const other = mapTable(
			{ ...table, headings: ['site_id', 'siteName', 'town'], rows: [['1', 'a', 'b']] },
			mapping,
			['site']
		);
		expect(other).to.have.property('problem').that.contains('“address/city”, “Latitude” are gone');
		expect(other).to.have.property('problem').that.contains('there is “town”');
		expect(mapTable({ ...table, rows: [] }, mapping, [])).to.have.property('ok', false);
		// Records of JSON leave out what they have not
		const sparse = { isSparse: true, headings: ['site_id', 'siteName'], rows: [['1', 'a']] };
		expect(mapTable(sparse, mapping, ['site'])).to.deep.include({
			ok: true,
			missing: ['address/city', 'Latitude']
		});
		expect(mapTable(sparse, mapping, ['locality'])).to.have.property('ok', false);
		expect(mapTable({ ...sparse, headings: ['id', 'siteName'] }, mapping, [])).to.have.property('ok', false);
		const twice = mapTable(
			{ ...table, rows: [...table.rows, ...table.rows, ['', 'c', '', '', '']] },
			mapping,
			[]
		);
		if (!twice.ok) throw new Error(twice.problem);
		expect(twice.rows.map(({ problems }) => problems[0])).to.deep.equal([
			'“1” stands 2 times under “site_id”.',
			'“1” stands 2 times under “site_id”.',
			'“site_id” is empty, which tells the records apart.'
		]);
		expect(twice.rows[0]!.cells).to.deep.equal({ site: 'Wharf', locality: 'Nelson', latitude: '-41.2' });
	});
});

describe('what a source says is held against what stands here', () => {
	const there = (key: string, cells: Record<string, string>, problems: string[] = []): There => ({
		...{ key, line: 1, name: cells.site ?? key, cells, problems }
	});
	const here = (id: string, cells: Record<string, string>): Here => ({
		...{ id, name: (cells.site ?? id).toLowerCase(), cells }
	});
	const known = (key: string, thingId: string, base: Record<string, string>): Remembered => ({
		...{ key, thingId, name: key, base, isGone: false }
	});
	const one = (says: There, stands: Here[], memory: Remembered[] = []) =>
		compareRecords([says], stands, memory)[0]!;

	it('takes what changed there, keeps what changed here, and calls both a conflict', () => {
		const stands = here('s', { site: 'Wharf', phone: '2', contact: 'Ann', street: 'Old' });
		const memory = known('1', 's', { site: 'Wharf', phone: '1', contact: 'Ann', street: 'Old' });
		const says = there('1', { site: 'Wharf', phone: '1', contact: 'Bea', street: 'New' });
		const changed = one(says, [stands], [memory]);
		expect(changed.verdict).to.equal('changed');
		expect(changed.differences.map(({ what }) => what)).to.deep.equal(['contact', 'street']);
		const both = one(there('1', { ...says.cells, phone: '3' }), [stands], [memory]);
		expect(both.verdict).to.equal('conflict');
		expect(both.differences.find(({ isConflict }) => isConflict)).to.include({
			...{ what: 'phone', before: '1', here: '2', there: '3' }
		});
		// Until somebody decides it is a conflict each time; what is none is taken all the same
		expect(both.base).to.include({ phone: '1', contact: 'Bea' });
	});

	it('knows a thing again by its record, whatever it is called by now, and a new record by its name', () => {
		const stands = here('s', { site: 'Wharf north' });
		expect(
			one(there('1', { site: 'Wharf' }), [stands], [known('1', 's', { site: 'Wharf' })]).verdict
		).to.equal('same');
		expect(
			one(there('9', { site: 'WHARF NORTH', phone: '1' }), [here('s', { site: 'Wharf North' })])
		).to.include({
			...{ verdict: 'conflict', thingId: 's' }
		});
		expect(one(there('9', { site: 'Wharf north', phone: '1' }), [stands])).to.include({
			...{ verdict: 'changed', thingId: 's' }
		});
		expect(one(there('9', { site: 'Elsewhere' }), [stands])).to.include({ verdict: 'new', thingId: null });
	});

	it('refuses what was removed here, what is another record’s already, and what is wrong; and says what is gone', () => {
		expect(one(there('1', { site: 'Wharf' }), [], [known('1', 's', {})]).problems[0]).to.contain(
			'removed here'
		);
		const taken = one(there('2', { site: 'Wharf' }), [here('s', { site: 'Wharf' })], [known('1', 's', {})]);
		expect(taken.problems[0]).to.contain('“1” of the same source');
		expect(one(there('1', {}, ['bad']), []).verdict).to.equal('refused');
		const all = compareRecords(
			[],
			[here('s', { site: 'Wharf' })],
			[known('1', 's', {}), known('2', 'x', {})]
		);
		expect(all.map(({ key, verdict }) => [key, verdict])).to.deep.equal([['1', 'gone']]);
		expect(lostMuch(21, 41)).to.equal(true);
		expect(lostMuch(20, 20)).to.equal(false);
	});

	it('is all the same once it was taken over', () => {
		const cells = fc.dictionary(fc.constantFrom('a', 'b', 'c'), fc.constantFrom('1', '2', '3'));
		fc.assert(
			fc.property(cells, cells, cells, (says, stands, base) => {
				const thing = here('s', stands);
				const first = one(there('k', says), [thing], [known('k', 's', base)]);
				const taken = Object.fromEntries(
					first.differences.flatMap(({ what, there: now, isConflict }) => (isConflict ? [] : [[what, now]]))
				);
				const after = here('s', { ...stands, ...taken });
				const again = one(there('k', says), [after], [known('k', 's', first.base)]);
				expect(again.differences.filter(({ isConflict }) => !isConflict)).to.deep.equal([]);
				// Nothing that somebody changed here alone was ever a difference
				for (const { what } of first.differences) expect(says[what]).to.not.equal(base[what]);
				// Who decides for what is here is asked no more
				const decided = { ...first.base, ...says };
				expect(one(there('k', says), [after], [known('k', 's', decided)]).verdict).to.equal('same');
			})
		);
	});
});

describe('sites and positions of a source', () => {
	const row = (cells: Record<string, string>) => ({ key: '1', line: 1, cells, problems: [] });
	const world = {
		values: [],
		sites: [],
		like: { timeZone: 'Pacific/Auckland' },
		technicians: [{ id: 't', name: 'Ann' }]
	};

	it('are written as Limen writes them, whatever the source’s way', () => {
		const [site] = sitesThere(
			[
				row({
					site: 'Wharf',
					latitude: '−41,20',
					longitude: '173',
					uplink: 'FIBRE',
					appointment: '2026-12-01T9:30',
					technician: 'ANN'
				})
			],
			world
		);
		expect(site!.problems).to.deep.equal([]);
		expect(site!.cells).to.deep.equal({
			...{
				site: 'Wharf',
				latitude: '-41.2',
				longitude: '173',
				uplink: 'fibre',
				appointment: '2026-12-01 09:30',
				technician: 'Ann'
			}
		});
	});

	it('have what is wrong with them said', () => {
		const wrong = (cells: Record<string, string>) => sitesThere([row(cells)], world)[0]!.problems.join(' ');
		expect(wrong({ site: 'W', 'time zone': 'Mars' })).to.contain('time zone');
		expect(wrong({ site: 'W', technician: 'Nobody' })).to.contain('does not work');
		expect(wrong({ site: 'W', appointment: 'soon' })).to.contain('appointment');
		expect(wrong({ street: 'x' })).to.contain('site');
		const places = { fields: [], sites: ['Wharf'], profiles: ['Gate'], positions: [] };
		const place = (cells: Record<string, string>) => positionsThere([row(cells)], places)[0]!;
		expect(place({ site: 'wharf', position: 'gw', profile: 'GATE' })).to.deep.include({
			...{ name: 'Wharf, gw', problems: [], cells: { site: 'Wharf', position: 'gw', profile: 'Gate' } }
		});
		expect(place({ site: 'Pier', position: 'gw', profile: 'Gate' }).problems[0]).to.contain('no site “Pier”');
		expect(place({ site: 'Wharf', position: 'gw' }).problems[0]).to.contain('needs one');
	});
});
