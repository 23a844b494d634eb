import type { IncomingMessage } from 'node:http';
import { expect } from 'chai';
import fc from 'fast-check';
import { clientAddress, proxyList } from '../../command/running/front';

const PROXIES = proxyList(['192.0.2.0/24', '2001:db8::1']);
const from = (remoteAddress: string, headers: Record<string, string> = {}) =>
	clientAddress({ socket: { remoteAddress }, headers } as unknown as IncomingMessage, PROXIES);

describe('whom a request is from', () => {
	it('is the connection’s own address, whatever a stranger’s headers say', () => {
		fc.assert(
			fc.property(fc.string(), fc.string(), (one, other) => {
				expect(from('198.51.100.7', { forwarded: `for=${one}`, 'x-forwarded-for': other })).to.equal(
					'198.51.100.7'
				);
			})
		);
	});

	it('is whom a proxy of ours forwards for, up to the first that is none of ours', () => {
		expect(from('192.0.2.1', { 'x-forwarded-for': '203.0.113.9' })).to.equal('203.0.113.9');
		expect(from('::ffff:192.0.2.1', { 'x-forwarded-for': '203.0.113.9, 192.0.2.8' })).to.equal('203.0.113.9');
		// What stands left of a stranger is the stranger's word
		expect(from('192.0.2.1', { 'x-forwarded-for': '10.0.0.1, 203.0.113.9' })).to.equal('203.0.113.9');
		expect(from('2001:db8::1', { forwarded: 'for="[2001:db8:cafe::17]:4711";proto=https' })).to.equal(
			'2001:db8:cafe::17'
		);
		expect(from('192.0.2.1', { forwarded: 'proto=https;For=203.0.113.9' })).to.equal('203.0.113.9');
	});

	it('is the proxy itself where the headers disagree, hide it, or say nothing that is an address', () => {
		const headersOfProxies: Record<string, string>[] = [
			{ forwarded: 'for=203.0.113.9', 'x-forwarded-for': '203.0.113.10' },
			{ forwarded: 'for=_hidden' },
			{ forwarded: 'for=unknown' },
			{ 'x-forwarded-for': '203.0.113.9, ' },
			{ 'x-forwarded-for': 'evil\nset-cookie: a=b' },
			{}
		];
		for (const headers of headersOfProxies)
			expect(from('192.0.2.1', headers), JSON.stringify(headers)).to.equal('192.0.2.1');
	});

	it('is always an address, at once, however long the headers are', () => {
		const long = '192.0.2.1,'.repeat(100_000);
		expect(from('192.0.2.1', { 'x-forwarded-for': `203.0.113.9,${long}192.0.2.1` })).to.equal('192.0.2.1');
		expect(from('192.0.2.1', { forwarded: `for="${'['.repeat(100_000)}` })).to.equal('192.0.2.1');
	});
});
