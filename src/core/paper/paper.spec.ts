import { expect } from 'chai';
import fc from 'fast-check';
import { RUN_STEPS, STANDINGS } from '../onboarding';
import { plainProgress } from './plain-progress';
import { portPicture, portPictureSvg } from './port-picture';
import type { Cable } from '../plan';
import { siteCard, type CardPosition } from './site-card';

const model = (ports: Record<string, string>): CardPosition['model'] => ({
	name: 'OG-2',
	ports,
	lights: [{ shows: 'Green, steady', means: 'It works.' }]
});
const gateway: CardPosition = {
	id: 'gw-1',
	name: 'gw-1',
	roleId: 'gateway',
	roleName: 'gateway',
	model: model({ uplink: 'up0', lan: 'in0', ap_feed: 'in1', ap_feed_2: 'in2' }),
	serial: 'OG2K119O899C'
};
const point: CardPosition = {
	id: 'ap-lobby',
	name: 'ap-lobby',
	roleId: 'access-point',
	roleName: 'access point',
	model: model({ uplink: 'eth0' }),
	serial: null
};

const feed = (positionId: string, port = 'ap_feed'): Cable => ({
	near: { positionId, port: 'uplink' },
	far: { positionId: 'gw-1', port }
});
const OUTSIDE: Cable = { near: { positionId: 'gw-1', port: 'uplink' }, far: null };

describe('a site’s card', () => {
	it('begins with the box that goes outside and says which cable goes where', () => {
		const { boxes, minutes, lights } = siteCard('fibre', [point, gateway], [OUTSIDE, feed('ap-lobby')]);
		expect(boxes.map(({ title, positions }) => [title, ...positions.map(({ name }) => name)])).to.deep.equal([
			['Gateway', 'gw-1'],
			['Access point', 'ap-lobby']
		]);
		expect(boxes[0]!.steps[0]).to.equal(
			'Plug the cable from the fibre box on the wall into the port marked up0.'
		);
		expect(boxes[1]!.steps[0]).to.equal(
			'Plug one end of its cable into the port marked eth0, the other into the port marked in1 of the gateway gw-1.'
		);
		expect(minutes).to.equal(35);
		expect(lights).to.have.lengthOf(1);
	});

	it('puts together what is plugged in alike', () => {
		const points = ['ap-a', 'ap-b'].map((name) => ({ ...point, id: name, name }));
		const { boxes } = siteCard(
			'dsl',
			[...points, gateway],
			[OUTSIDE, feed('ap-a'), feed('ap-b', 'ap_feed_2')]
		);
		expect(boxes.map(({ positions }) => positions.length)).to.deep.equal([1, 2]);
		expect(boxes[1]!.steps[0]).to.equal(
			'Plug one end of its cable into the port marked eth0, the other into the gateway gw-1: ap-a into the port marked in1, ap-b into the port marked in2.'
		);
		expect(boxes[0]!.portWords).to.deep.equal({ uplink: 'from outside', ap_feed: 'ap-a', ap_feed_2: 'ap-b' });
	});

	it('wants no cable where a SIM card is', () => {
		expect(siteCard('cellular', [gateway], []).boxes[0]!.steps[0]).to.match(
			/no cable from outside.*up0 empty/
		);
	});

	it('names no port that is not there', () => {
		const { boxes } = siteCard(
			'dsl',
			[
				{ ...gateway, model: null },
				{ ...point, model: null }
			],
			[OUTSIDE, feed('ap-lobby')]
		);
		for (const { steps, uplinkPort } of boxes) {
			expect(steps.join(' ')).to.not.match(/marked|undefined|null/);
			expect(uplinkPort).to.equal(null);
		}
	});
});

describe('progress in plain words', () => {
	it('has words for every step and standing, and never a technical one', () => {
		for (const standing of STANDINGS)
			for (const step of [...RUN_STEPS, null]) {
				const { short, words } = plainProgress(step, standing, 'Call 021 555 0142.');
				expect(short).to.not.equal('');
				expect(words).to.not.match(/firmware|configuration|bootstrap|DHCP|IP|serial|undefined/);
			}
	});
	it('asks for something only when there is something to do', () => {
		expect(plainProgress('bound', 'waiting', '').wantsYou).to.equal(true);
		expect(plainProgress('firmware', 'moving', '').wantsYou).to.equal(false);
		expect(plainProgress('configuration', 'stuck', 'Call 021 555 0142.').words).to.include('021 555 0142');
	});
});

describe('a picture of ports', () => {
	const ports = fc.dictionary(
		fc.constantFrom('uplink', 'lan', 'ap_feed', 'wan_2', 'voice'),
		fc.string({ maxLength: 8 })
	);
	it('has each port once, inside, beside each other', () => {
		fc.assert(
			fc.property(ports, (given) => {
				const { width, height, ports: drawn } = portPicture(given);
				expect(drawn.map(({ name }) => name)).to.have.members(Object.values(given));
				if ('uplink' in given) expect(drawn[0]!.isUplink).to.equal(true);
				drawn.forEach(({ x, y, size }, index) => {
					expect(x).to.be.at.least(0);
					expect(x + size).to.be.at.most(width);
					expect(y + size).to.be.at.most(height);
					if (index > 0) expect(x).to.be.at.least(drawn[index - 1]!.x + drawn[index - 1]!.size);
				});
			})
		);
	});
	it('takes no name for markup', () => {
		const svg = portPictureSvg(portPicture({ uplink: '<script>&"' }), {
			ink: '#000',
			mark: '#111',
			font: 'Text'
		});
		expect(svg).to.include('&#60;script&#62;&#38;&#34;').and.not.include('<script');
	});
});
