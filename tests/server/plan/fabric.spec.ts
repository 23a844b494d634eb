import { expect } from 'chai';
import { Fabric } from '../../../standins/network/fabric';
import type { Station } from '../../../standins/network/station';
import type { Fault } from '../../../standins/units/flash';
import { wiringOf } from '../../../standins/units/configuration/wiring';

/** A unit of the simulated network, put together from what its configuration says. */
class Box implements Station {
	isOn = true;
	cable: 'uplink' | 'lan' | 'none' = 'uplink';
	readonly faults = new Set<Fault>();
	carriedTo: string | null = null;
	plug: { serial: string; port: string } | null = null;
	readonly version = '1';
	readonly label;
	configuration: string;

	constructor(serial: string, model: string, maker: string, configuration: string) {
		const mac = `02:00:00:00:00:${serial.charCodeAt(0).toString(16)}`;
		this.label = { serial, mac, model, maker };
		this.configuration = configuration;
	}
	get wiring() {
		return wiringOf(this.label.maker, this.configuration);
	}
}

const HUB = `hostname hub
location "The mill"
port wan0
  own-address 203.0.113.10/28
route default via 203.0.113.1
port lan0
  own-address 10.0.0.1/24
tunnel one
  secret "s1"
  own-address 10.255.0.0/31
  reach 10.40.4.0/22
tunnel two
  secret "s2"
  own-address 10.255.0.2/31
  reach 10.40.8.0/22
`;
const ONE = `hostname one-rt
location "One"
port wan0
  obtain-address
port lan0
  own-address 10.40.4.1/24
  hand-out 10.40.4.50 to 10.40.4.199
tunnel one
  far-end 203.0.113.10
  secret "s1"
  own-address 10.255.0.1/31
  reach 10.0.0.0/24
  reach 10.40.0.0/16
`;
const TWO = `identity { name two-gw; place "Two"; }
wire up0 { lease; }
wire in0 { address 10.40.8.1/24; pool 10.40.8.50 10.40.8.51; }
link two { remote 203.0.113.10; secret "s2"; address 10.255.0.3/31; carries 10.0.0.0/24; carries 10.40.0.0/16; }
`;
const AP = (name: string, place: string) => JSON.stringify({ name, place });

function world() {
	const hub = new Box('H', 'VT-340', 'veltrane', HUB);
	const one = new Box('A', 'VT-120', 'veltrane', ONE);
	const two = new Box('B', 'OG-2', 'okapira', TWO);
	const desk = new Box('D', 'LF-6', 'lumenfold', AP('one-desk', 'One'));
	const back = new Box('E', 'LF-6', 'lumenfold', AP('one-back', 'One'));
	const all = [hub, one, two, desk, back];
	let now = 0;
	const fabric = new Fabric<Box>(
		() => all,
		1,
		() => now
	);
	fabric.look();
	const wait = (seconds: number) => {
		now += seconds * 1000;
		fabric.look();
	};
	return { hub, one, two, desk, back, fabric, wait };
}
const up = (fabric: Fabric<Box>, box: Box) => fabric.tunnels(box).map(({ name, isUp }) => `${name} ${isUp}`);

describe('the network between the units', () => {
	it('has a tunnel up once both ends have agreed for a while, whatever their makers', () => {
		const { hub, one, two, fabric, wait } = world();
		expect(up(fabric, hub)).to.deep.equal(['one false', 'two false']);
		wait(10);
		expect(up(fabric, hub)).to.deep.equal(['one true', 'two true']);
		two.configuration = TWO.replace('"s2"', '"other"');
		expect(up(fabric, two)).to.deep.equal(['two false']);
		expect(up(fabric, hub)).to.deep.equal(['one true', 'two false']);
		two.configuration = TWO;
		expect(up(fabric, two)).to.deep.equal(['two false']);
		wait(10);
		expect(up(fabric, two)).to.deep.equal(['two true']);
		one.configuration = ONE.replace('far-end 203.0.113.10', 'far-end 203.0.113.11');
		expect(up(fabric, one)).to.deep.equal(['one false']);
		hub.isOn = false;
		expect(up(fabric, two)).to.deep.equal(['two false']);
	});

	it('sends packets where the configurations say, and their answers back', () => {
		const { hub, one, two, fabric, wait } = world();
		expect(fabric.reach(one, '10.40.8.1').received).to.equal(0);
		wait(10);
		const across = fabric.reach(one, '10.40.8.1');
		expect(across).to.include({ sent: 10, received: 10 });
		expect(across.hops.map(({ address }) => address)).to.deep.equal([
			'10.255.0.0',
			'10.255.0.3',
			'10.40.8.1'
		]);
		expect(fabric.reach(hub, '10.40.4.1').received).to.equal(10);
		expect(fabric.reach(one, '192.0.2.53').received).to.equal(10);
		expect(fabric.reach(one, '10.9.9.9').received).to.equal(0);
		// What the hub does not send back is not answered
		hub.configuration = HUB.replace('  reach 10.40.4.0/22\n', '');
		expect(fabric.reach(one, '10.40.8.1').received).to.equal(0);
		expect(fabric.reach(one, '10.0.0.1').received).to.equal(0);
		expect(fabric.routes(two)).to.deep.include({ prefix: '10.0.0.0/24', via: 'two', next: '10.255.0.2' });
	});

	it('goes the direct way as soon as there is one', () => {
		const { one, two, fabric, wait } = world();
		one.configuration = `${ONE.replace('obtain-address', 'own-address 198.51.100.5/30')}route default via 198.51.100.6
tunnel direct
  secret "s3"
  own-address 10.255.0.4/31
  reach 10.40.8.0/22
`;
		two.configuration = `${TWO}link direct { remote 198.51.100.5; secret "s3"; address 10.255.0.5/31; carries 10.40.4.0/22; }`;
		fabric.look();
		wait(10);
		expect(fabric.reach(one, '10.40.8.1').hops.map(({ address }) => address)).to.deep.equal([
			'10.255.0.5',
			'10.40.8.1'
		]);
		two.faults.add('lost-secret');
		expect(fabric.reach(one, '10.40.8.1').received).to.equal(0);
	});

	it('feeds access points over their cables, in the ports where people plug them', () => {
		const { one, desk, back, fabric } = world();
		expect(fabric.neighbours(one).map(({ port, name }) => `${port} ${name}`)).to.deep.equal([
			'lan1 one-back',
			'lan2 one-desk'
		]);
		expect(fabric.neighbours(desk)).to.deep.equal([
			{
				port: 'eth0',
				chassis: one.label.mac,
				neighbourPort: 'lan2',
				name: 'one-rt',
				description: 'VT-120, release 1',
				address: ''
			}
		]);
		expect([fabric.isFed(desk), fabric.hasWayOut(desk)]).to.deep.equal([true, true]);
		desk.plug = { serial: 'A', port: 'lan0' };
		expect(fabric.isFed(desk)).to.equal(false);
		desk.plug = { serial: 'A', port: 'lan1' };
		// The other one is moved by it, as there is one cable to a port
		expect(fabric.neighbours(back).map(({ neighbourPort }) => neighbourPort)).to.deep.equal(['lan2']);
		one.isOn = false;
		expect([fabric.isFed(desk), fabric.hasWayOut(desk)]).to.deep.equal([false, false]);
	});

	it('has each fault do what it says, and nothing else', () => {
		const { hub, one, two, fabric, wait } = world();
		wait(10);
		const seen = (fault: Fault, at: Box = one) => {
			at.faults.add(fault);
			const answer = {
				internet: fabric.reach(one, '192.0.2.53').received,
				hub: fabric.reach(one, '10.0.0.1').received,
				site: fabric.reach(one, '10.40.8.1').received,
				tunnel: fabric.tunnels(one)[0]!.isUp,
				heard: fabric.neighbours(one).length,
				free: fabric.clients(one)[0]!.free > 0,
				speed: fabric.ports(one)[0]!.speed,
				name: fabric.resolve(one, 'time.sallowfield.example') !== null
			};
			at.faults.delete(fault);
			fabric.look();
			wait(10);
			return answer;
		};
		const well = {
			internet: 10,
			hub: 10,
			site: 10,
			tunnel: true,
			heard: 2,
			free: true,
			speed: 1000,
			name: true
		};
		const dark = { internet: 0, hub: 0, site: 0, tunnel: false };
		expect(seen('mute')).to.deep.equal(well);
		expect(seen('cut-fibre')).to.deep.equal({ ...well, ...dark, speed: 0, name: false });
		expect(seen('lossy-line')).to.deep.equal({ ...well, internet: 7, hub: 7, site: 7 });
		expect(seen('blocked-tunnels')).to.deep.equal({ ...well, hub: 0, site: 0, tunnel: false });
		expect(seen('lost-secret')).to.deep.equal({ ...well, hub: 0, site: 0, tunnel: false });
		expect(seen('forwards-nothing')).to.deep.equal({ ...well, hub: 0, site: 0 });
		expect(seen('forwards-nothing', two)).to.deep.equal({ ...well, site: 0 });
		expect(seen('cut-fibre', hub)).to.deep.equal({ ...well, hub: 0, site: 0, tunnel: false });
		expect(seen('bad-cable')).to.deep.equal({ ...well, speed: 10 });
		expect(seen('stranger')).to.deep.equal({ ...well, heard: 3 });
		expect(seen('loop')).to.include({ internet: 4, heard: 4 });
		expect(seen('address-taken')).to.deep.equal({ ...well, internet: 5, hub: 5, site: 5 });
		expect(seen('no-addresses-left')).to.deep.equal({ ...well, free: false });
		expect(seen('no-name')).to.deep.equal({ ...well, name: false });
		expect(seen('far-side-silent')).to.deep.equal({ ...well, ...dark, name: false });
		expect(seen('wrong-clock')).to.deep.equal(well);
	});
});
