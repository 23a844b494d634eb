import { expect } from 'chai';
import fc from 'fast-check';
import {
	clockOff,
	correctedTime,
	kilometresBetween,
	mapLink,
	meaningOf,
	missingOnTheWay,
	toBring,
	travelOrder,
	withWaiting,
	type Day,
	type DayPosition,
	type DaySite,
	type DayUnit,
	type DayEntry
} from './day';

const unit = (serial: string, more: Partial<DayUnit> = {}): DayUnit => ({
	id: serial,
	serial,
	mac: null,
	modelName: 'OG-2',
	customerId: 'c',
	roles: ['gateway'],
	boundAt: null,
	...more
});
const position = (id: string, more: Partial<DayPosition> = {}): DayPosition => ({
	id,
	name: id,
	roleId: 'gateway',
	roleName: 'gateway',
	standing: 'open',
	step: null,
	serial: null,
	advice: null,
	...more
});
const site = (id: string, positions: readonly DayPosition[], more: Partial<DaySite> = {}): DaySite => ({
	id,
	name: id,
	customerId: 'c',
	customerName: 'Marlstone',
	address: '',
	directions: '',
	contact: '',
	phone: '',
	accessHours: '',
	uplink: 'fibre',
	timeZone: 'Pacific/Auckland',
	appointmentAt: null,
	latitude: null,
	longitude: null,
	positions,
	proof: null,
	...more
});
const bind = (id: string, positionId: string, serial: string): DayEntry => ({
	id,
	at: 0,
	siteId: 's',
	positionId,
	kind: 'bind',
	serial
});

describe('a label read at a site', () => {
	const here = site('s', [position('gw-1'), position('ap-1', { roleId: 'access-point' })]);
	it('is the unit whose serial or MAC ends with it, and where it fits', () => {
		const units = [unit('OG2K11194F2A', { mac: '02:5a:1f:00:00:3b' }), unit('OG2K11194F2B')];
		const read = meaningOf('4f2a', here, units);
		expect(read).to.deep.include({ kind: 'fits', unit: units[0] });
		expect(read.kind === 'fits' && read.positions.map(({ id }) => id)).to.deep.equal(['gw-1']);
		expect(meaningOf('00:00:3b', here, units)).to.deep.include({ kind: 'fits', unit: units[0] });
		expect(meaningOf('OG2K 1119 4F2B', here, units)).to.deep.include({ kind: 'fits', unit: units[1] });
	});
	it('that says too little, nothing, or the wrong thing is told why', () => {
		const why = (text: string, units: readonly DayUnit[], at = here) => {
			const read = meaningOf(text, at, units);
			return read.kind === 'no' ? read.why : read.kind;
		};
		expect(why('2A', [unit('OG2K11194F2A')])).to.match(/at least the last 4/);
		expect(why('9999', [unit('OG2K11194F2A')])).to.match(/No unit that is known on this phone/);
		expect(why('4F2A', [unit('OG2K11194F2A', { customerId: 'd' })])).to.match(/another customer/);
		expect(why('4F2A', [unit('OG2K11194F2A', { boundAt: 'Nelson gw-1' })])).to.match(/bound to Nelson gw-1/);
		expect(why('4F2A', [unit('OG2K11194F2A', { roles: ['router'] })])).to.match(/No open position/);
		expect(why('4F2A', [unit('AA114F2A'), unit('BB114F2A')])).to.equal('several');
		const full = site('s', [position('gw-1', { serial: 'OG2K11194F2A', standing: 'waiting' })]);
		expect(why('4F2A', [unit('OG2K11194F2A')], full)).to.equal('here');
	});
	it('never names what does not end with it, nor offers a position that is taken', () => {
		const serial = fc.stringMatching(/^[0-9A-F]{6,12}$/);
		fc.assert(
			fc.property(
				fc.uniqueArray(serial, { maxLength: 6 }),
				fc.string({ maxLength: 8 }),
				fc.boolean(),
				(serials, text, taken) => {
					const at = site('s', [position('gw-1', taken ? { serial: 'X' } : {})]);
					const read = meaningOf(
						text,
						at,
						serials.map((one) => unit(one))
					);
					const end = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
					if (read.kind === 'fits') {
						expect(read.unit.serial.endsWith(end)).to.equal(true);
						expect(taken).to.equal(false);
					}
				}
			)
		);
	});
});

describe('before one goes there', () => {
	it('what to bring is what is not online: by serial where it is known', () => {
		const at = site('s', [
			position('gw-1', { serial: 'OG2K1', standing: 'waiting' }),
			position('ap-1', { roleName: 'access point' }),
			position('ap-2', { serial: 'LF6', standing: 'online' })
		]);
		expect(toBring(at).map(({ position: name, serial }) => [name, serial])).to.deep.equal([
			['gw-1', 'OG2K1'],
			['ap-1', null]
		]);
	});
	it('what nobody has said is named', () => {
		expect(missingOnTheWay(site('s', []))).to.deep.equal(['its address', 'who is there', 'positions']);
		const known = { address: '1 High Street', contact: 'Ana', phone: '' };
		expect(missingOnTheWay(site('s', [position('gw-1')], known))).to.deep.equal(['a telephone number']);
		expect(
			missingOnTheWay(site('s', [position('gw-1')], { ...known, contact: 'Ana, 021 555 0171' }))
		).to.deep.equal([]);
	});
	it('its place opens in a map', () => {
		expect(mapLink(site('A & B', [], { latitude: -41.2, longitude: 173.2 }))).to.equal(
			'geo:-41.2,173.2?q=-41.2,173.2(A%20%26%20B)'
		);
		expect(mapLink(site('s', [], { address: '1 High Street' }))).to.equal(
			'geo:0,0?q=s%2C%201%20High%20Street'
		);
		expect(mapLink(site('s', []))).to.equal(null);
	});
});

describe('a day with what waits to be sent', () => {
	const day: Day = {
		personId: 'p',
		madeAt: 0,
		sites: [site('s', [position('gw-1'), position('gw-2')]), site('t', [position('gw-3')])],
		units: ['AAAA1', 'AAAA2'].map((serial) => unit(serial)),
		models: []
	};
	it('has each unit at one position at most, the last it was scanned for', () => {
		const entries = fc.array(
			fc.tuple(fc.constantFrom('gw-1', 'gw-2', 'gw-3'), fc.constantFrom('AAAA1', 'AAAA2'))
		);
		fc.assert(
			fc.property(entries, (pairs) => {
				const after = withWaiting(
					day,
					pairs.map(([at, serial], index) => bind(String(index), at, serial))
				);
				const there = after.sites.flatMap(({ positions }) => positions.flatMap(({ serial }) => serial ?? []));
				expect(new Set(there).size).to.equal(there.length);
				const last = pairs.at(-1);
				if (last) {
					const at = after.sites.flatMap(({ positions }) => positions).find(({ id }) => id === last[0])!;
					expect(at).to.deep.include({ serial: last[1], standing: 'waiting' });
				}
			})
		);
		expect(withWaiting(day, [])).to.equal(day);
	});
});

describe('travelling', () => {
	it('goes by appointment, and to what has none when it is near', () => {
		const place = (name: string, latitude: number | null, appointmentAt: number | null) => ({
			name,
			latitude,
			longitude: 171,
			appointmentAt
		});
		const order = travelOrder([
			place('late', -46, 2000),
			place('by the way', -41.1, null),
			place('early', -41, 1000),
			place('nowhere', null, null)
		]);
		expect(order.map(({ name }) => name)).to.deep.equal(['early', 'by the way', 'late', 'nowhere']);
		fc.assert(
			fc.property(
				fc.array(
					fc.record({
						name: fc.string(),
						latitude: fc.option(fc.double({ min: -90, max: 90, noNaN: true })),
						longitude: fc.option(fc.double({ min: -180, max: 180, noNaN: true })),
						appointmentAt: fc.option(fc.nat())
					})
				),
				(sites) => {
					const after = travelOrder(sites);
					expect(after).to.have.members(sites);
					const times = after.flatMap(({ appointmentAt }) => appointmentAt ?? []);
					expect(times).to.deep.equal([...times].sort((a, b) => a - b));
				}
			)
		);
	});
	it('is as far as the crow flies', () => {
		const nelson = { latitude: -41.27, longitude: 173.28 };
		const dunedin = { latitude: -45.87, longitude: 170.5 };
		expect(kilometresBetween(nelson, dunedin)).to.be.closeTo(557, 5);
		expect(kilometresBetween(nelson, nelson)).to.equal(0);
		expect(kilometresBetween(nelson, { latitude: null, longitude: null })).to.equal(null);
	});
	it('is told in the server’s time, however wrong the phone’s clock is', () => {
		fc.assert(
			fc.property(fc.integer(), fc.nat(1_000_000), fc.nat(1e9), (off, ago, now) => {
				expect(correctedTime(now + off - ago, now + off, now)).to.equal(now - ago);
			})
		);
		expect(correctedTime(5000, 1000, 1000), 'never later than now').to.equal(1000);
		expect(clockOff(1000, 2000)).to.equal(null);
		expect(clockOff(7_200_000, 0)).to.equal(7_200_000);
	});
});
