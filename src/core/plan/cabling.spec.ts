import { expect } from 'chai';
import fc from 'fast-check';
import {
	cablingProblems,
	hangingOn,
	portTitle,
	proposeCabling,
	type Cable,
	type CabledPosition
} from './cabling';

const position = (name: string, roleId: string, ports: string[]): CabledPosition => ({
	id: `id of ${name}`,
	name,
	roleId,
	ports
});
const gateway = position('gw-1', 'gateway', ['uplink', 'lan', 'ap_feed', 'ap_feed_2']);
const hub = position('sw-1', 'switch', ['uplink', 'lan', 'ap_feed', 'ap_feed_2', 'ap_feed_10']);
const point = (name: string) => position(name, 'access-point', ['uplink', 'lan']);
const shown = (cables: readonly Cable[]) =>
	cables.map(({ near, far }) =>
		[near, far].map((end) => (end ? `${end.positionId.slice(6)} ${end.port}` : 'outside')).join(' > ')
	);

describe('cabling', () => {
	it('says what is away with a position, however far it hangs, also in a circle', () => {
		const on = (near: string, far: string): Cable => ({
			near: { positionId: near, port: 'uplink' },
			far: { positionId: far, port: 'lan' }
		});
		const cables = [
			on('sw', 'gw'),
			on('ap-1', 'sw'),
			on('ap-2', 'gw'),
			on('ring-a', 'ring-b'),
			on('ring-b', 'ring-a')
		];
		expect([...hangingOn(cables, 'gw')]).to.have.members(['sw', 'ap-1', 'ap-2']);
		expect([...hangingOn(cables, 'sw')]).to.deep.equal(['ap-1']);
		expect([...hangingOn(cables, 'ap-1')]).to.deep.equal([]);
		expect([...hangingOn(cables, 'ring-a')]).to.deep.equal(['ring-b']);
	});
	it('is proposed from outside inwards, with a port for each access point', () => {
		expect(shown(proposeCabling([point('ap-b'), gateway, point('ap-a')], [], true))).to.deep.equal([
			'gw-1 uplink > outside',
			'ap-a uplink > gw-1 ap_feed',
			'ap-b uplink > gw-1 ap_feed_2'
		]);
	});
	it('goes by way of a switch where there is one, and over to the gateway when that is full', () => {
		const points = ['a', 'b', 'c', 'd'].map((one) => point(`ap-${one}`));
		expect(shown(proposeCabling([...points, gateway, hub], [], false))).to.deep.equal([
			'sw-1 uplink > gw-1 lan',
			'ap-a uplink > sw-1 ap_feed',
			'ap-b uplink > sw-1 ap_feed_2',
			'ap-c uplink > sw-1 ap_feed_10',
			'ap-d uplink > gw-1 ap_feed'
		]);
	});
	it('says who has no cable, which port has two, and what is not there', () => {
		const two = [gateway, point('ap-a'), point('ap-b')];
		const end = (of: CabledPosition, port: string) => ({ positionId: of.id, port });
		const cables = [
			{ near: end(two[1]!, 'uplink'), far: end(gateway, 'ap_feed') },
			{ near: end(two[2]!, 'uplink'), far: end(gateway, 'ap_feed') },
			{ near: end(gateway, 'usb'), far: null },
			{ near: end(gateway, 'lan'), far: end(gateway, 'uplink') },
			{ near: { positionId: 'nobody', port: 'uplink' }, far: null }
		];
		expect(
			cablingProblems([...two, point('ap-c')], cables, true).map(({ message }) => message)
		).to.deep.equal([
			'gw-1: two cables are in its port access points.',
			'gw-1 has no port usb.',
			'gw-1 is plugged into itself.',
			'A cable leads to a position that is not there.',
			'ap-c has no cable yet.'
		]);
	});
	it('is never proposed with a port twice, keeps what stands, and is the same whatever the order', () => {
		const positions = fc
			.uniqueArray(
				fc.record({
					name: fc.stringMatching(/^[a-z]{1,4}$/),
					roleId: fc.constantFrom('gateway', 'router', 'switch', 'access-point'),
					ports: fc.subarray(['uplink', 'lan', 'lan_2', 'ap_feed', 'ap_feed_2', 'ap_feed_3'])
				}),
				{ selector: ({ name }) => name, maxLength: 12 }
			)
			.map((all) => all.map(({ name, roleId, ports }) => position(name, roleId, ports)));
		fc.assert(
			fc.property(positions, fc.boolean(), (all, isWired) => {
				const proposed = proposeCabling(all, [], isWired);
				expect(proposeCabling([...all].reverse(), [], isWired)).to.deep.equal(proposed);
				expect(cablingProblems(all, proposed, isWired).filter(({ kind }) => kind === 'wrong')).to.deep.equal(
					[]
				);
				const half = proposed.slice(0, Math.floor(proposed.length / 2));
				const whole = [...half, ...proposeCabling(all, half, isWired)];
				expect(cablingProblems(all, whole, isWired).filter(({ kind }) => kind === 'wrong')).to.deep.equal([]);
			})
		);
	});
	it('names ports as people read them', () => {
		expect(['uplink', 'ap_feed', 'ap_feed_3', 'voice_lan'].map(portTitle)).to.deep.equal([
			'uplink',
			'access points',
			'access points 3',
			'voice lan'
		]);
	});
});
