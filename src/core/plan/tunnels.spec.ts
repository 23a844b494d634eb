import { expect } from 'chai';
import fc from 'fast-check';
import { parseInterface } from '../address';
import { networksBehind, tunnelEnd, tunnelName, type TunnelSide } from './tunnels';

const SITE: TunnelSide = {
	side: 'near',
	siteName: 'Tākaka clinic',
	positionName: 'gw-1',
	scoped: { customer: { networks: '10.0.0.0/8' }, site: { networks: '10.40.4.0/22' } }
};
const HUB: TunnelSide = {
	side: 'far',
	siteName: 'Data centre',
	positionName: 'hub-1',
	scoped: {
		site: { networks: '10.0.0.0/24' },
		position: { reachable_networks: ['10.0.0.0/16', '10.40.0.0/15'], outside_address: '203.0.113.10/29' }
	}
};
const TUNNEL = { name: 'takaka-clinic', secret: 'of both', block: '10.255.0.4/31' };

describe('tunnels', () => {
	it('tells each end of the other, out of one row', () => {
		expect(tunnelEnd(TUNNEL, SITE, HUB)).to.deep.equal({
			name: 'takaka-clinic',
			secret: 'of both',
			own_address: '10.255.0.5/31',
			far_address: '10.255.0.4',
			endpoint: '203.0.113.10',
			networks: ['10.0.0.0/16', '10.40.0.0/15'],
			far_networks: ['10.0.0.0/24'],
			is_hub: true,
			far_site: 'Data centre',
			far_position: 'hub-1'
		});
		expect(tunnelEnd(TUNNEL, HUB, SITE)).to.include({ own_address: '10.255.0.4/31', endpoint: '' });
	});

	it('agrees at both ends, in IPv4 and IPv6', () => {
		const blocks = fc.oneof(
			fc.nat(2 ** 20).map((n) => `10.${(n >> 15) & 255}.${(n >> 7) & 255}.${(n & 127) * 2}/31`),
			fc.nat(0x7ff).map((n) => `2001:db8::${(n * 2).toString(16)}/127`)
		);
		fc.assert(
			fc.property(blocks, (block) => {
				const [near, far] = [
					tunnelEnd({ ...TUNNEL, block }, SITE, HUB),
					tunnelEnd({ ...TUNNEL, block }, HUB, SITE)
				];
				expect(near.own_address.split('/')[0]).to.equal(far.far_address);
				expect(far.own_address.split('/')[0]).to.equal(near.far_address);
				expect(parseInterface(near.own_address)!.base).to.equal(parseInterface(far.own_address)!.base);
				expect(near.own_address).to.not.equal(far.own_address);
			})
		);
	});

	it('takes what lies behind an end from its narrowest scope, as a list or as typed', () => {
		expect(networksBehind(SITE)).to.deep.equal(['10.40.4.0/22']);
		expect(networksBehind({ scoped: { site: { networks: '10.1.0.0/24, 10.2.0.0/24' } } })).to.deep.equal([
			'10.1.0.0/24',
			'10.2.0.0/24'
		]);
		expect(networksBehind({ scoped: { site: { networks: '', reachable_networks: [] } } })).to.deep.equal([]);
	});

	it('names tunnels so that every maker takes them, each differently', () => {
		expect(tunnelName('Tākaka clinic', new Set())).to.equal('takaka-clinic');
		expect(tunnelName('Tākaka clinic', new Set(['takaka-clinic']))).to.equal('takaka-clinic-2');
		expect(tunnelName('24 Ōtepoti', new Set())).to.equal('otepoti');
		expect(tunnelName('店', new Set())).to.equal('site');
		fc.assert(
			fc.property(fc.array(fc.string({ maxLength: 60, unit: 'grapheme' }), { maxLength: 30 }), (sites) => {
				const taken = new Set<string>();
				for (const site of sites) {
					const name = tunnelName(site, taken);
					expect(name).to.match(/^[a-z][a-z0-9-]{0,23}$/);
					expect(taken.has(name)).to.equal(false);
					taken.add(name);
				}
			})
		);
	});
});
