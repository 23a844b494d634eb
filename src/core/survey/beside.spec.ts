import { expect } from 'chai';
import { besidePlan, heardOf, sightingOf, type PlannedSite } from '.';

const [GW, AP, HUB] = ['02:00:00:00:00:01', '02:00:00:00:00:02', '02:00:00:00:00:03'];
const SITE: PlannedSite = {
	id: 'site',
	name: 'Mill',
	positions: [
		{ id: 'gw', name: 'gw-1', ports: { uplink: 'wan0', ap_feed: 'lan1', ap_feed_2: 'lan2' }, unit: { maker: 'm', serial: 'G', mac: null } },
		{ id: 'ap', name: 'ap-1', ports: { uplink: 'eth0' }, unit: { maker: 'n', serial: 'A', mac: AP } },
		{ id: 'open', name: 'ap-2', ports: { uplink: 'eth0' }, unit: null }
	], // prettier-ignore
	cables: [
		{ near: { positionId: 'gw', port: 'uplink' }, far: null },
		{ near: { positionId: 'ap', port: 'uplink' }, far: { positionId: 'gw', port: 'ap_feed' } }
	]
};
const OTHER: PlannedSite = {
	id: 'other',
	name: 'Barn',
	positions: [{ id: 'hub', name: 'gw-9', ports: {}, unit: { maker: 'm', serial: 'H', mac: HUB } }],
	cables: []
};
const gateway = (...heard: ReturnType<typeof heardOf>[]) =>
	sightingOf('10.0.0.1', { maker: 'm', serial: 'G', mac: GW, heard });
const point = (...heard: ReturnType<typeof heardOf>[]) =>
	sightingOf('10.0.0.2', { maker: 'n', serial: 'A', mac: AP, heard });
const onGateway = heardOf('lan1', { chassis: AP, farPort: 'eth0' });
const onPoint = heardOf('eth0', { chassis: GW, farPort: 'lan1' });
const beside = (...sightings: Parameters<typeof besidePlan>[1]) => besidePlan([SITE, OTHER], sightings)[0]!;

describe('what a survey found, beside the plan', () => {
	it('says nothing of a site that is as it is planned', () => {
		expect(beside(gateway(onGateway), point(onPoint))).to.deep.equal({
			siteId: 'site',
			name: 'Mill',
			planned: 2,
			found: 2,
			missing: [],
			misplaced: [],
			extra: []
		});
	});

	it('names what is missing, and counts what others alone hear as found', () => {
		expect(beside(gateway()).missing).to.deep.equal(['ap-1 (A) was not found.']);
		expect(beside(gateway(onGateway))).to.deep.include({ found: 2, missing: [], misplaced: [] });
	});

	it('says where a cable is instead, also at another site', () => {
		const moved = [
			gateway(heardOf('lan2', { chassis: AP, farPort: 'eth0' })),
			point(heardOf('eth0', { chassis: GW, farPort: 'lan2' }))
		];
		expect(beside(...moved).misplaced).to.deep.equal([
			'ap-1 eth0 should be in gw-1 lan1: it is eth0 in lan2.'
		]);
		const away = [gateway(), point(heardOf('eth0', { chassis: HUB, farPort: 'lan1' }))];
		expect(beside(...away).misplaced).to.deep.equal([
			'ap-1 eth0 should be in gw-1 lan1: it hangs on gw-9 of Barn.'
		]);
		expect(beside(gateway(), point()).misplaced[0]).to.match(/the cable was not seen/);
	});

	it('names what belongs to no plan, five at most, and counts the rest', () => {
		const strangers = Array.from({ length: 7 }, (_, at) =>
			heardOf(`lan${at + 2}`, { chassis: `06:00:00:00:00:0${at}`, name: `box${at}`, description: 'a box' })
		);
		const { extra } = beside(gateway(onGateway, ...strangers), point(onPoint));
		expect(extra).to.have.length(6);
		expect(extra[0]).to.equal('At gw-1 lan2: box0, a box.');
		expect(extra[5]).to.equal('And 2 more things.');
	});

	it('does not call wrong what could not be asked', () => {
		const locked = [
			sightingOf('10.0.0.1', { outcome: 'login' }),
			sightingOf('10.0.0.2', { outcome: 'login' })
		];
		expect(beside(...locked)).to.deep.include({ found: 0, misplaced: [], extra: [] });
	});
});
