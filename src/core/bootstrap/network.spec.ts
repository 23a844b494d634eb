import { expect } from 'chai';
import fc from 'fast-check';
import { bootstrapOption, bootstrapUri, LONGEST_OPTION, networkTexts, readBootstrapOption } from '.';

describe('what a network has to say', () => {
	const name = fc.oneof(fc.domain(), fc.ipV4(), fc.ipV6());
	const server = fc.record({ name, port: fc.integer({ min: 1, max: 65_535 }) });

	it('is read as it was written, and is never longer than an option', () => {
		fc.assert(
			fc.property(fc.array(server, { minLength: 1, maxLength: 4 }), (servers) => {
				const uris = servers.map(bootstrapUri);
				const length = uris.reduce((sum, uri) => sum + 2 + uri.length, 0);
				if (length > LONGEST_OPTION) expect(() => bootstrapOption(servers)).to.throw('at most');
				else expect(readBootstrapOption(bootstrapOption(servers))).to.deep.equal(uris);
			})
		);
	});

	it('is an address that anybody’s reader takes apart again', () => {
		fc.assert(
			fc.property(server, (one) => {
				const { protocol, hostname, port } = new URL(bootstrapUri(one));
				expect(protocol).to.equal('https:');
				expect(port).to.equal(one.port === 443 ? '' : String(one.port));
				expect(hostname.length).to.be.greaterThan(0);
			})
		);
	});

	it('stands there as octets, and in the words of several servers', () => {
		const texts = new Map(
			networkTexts({ name: 'z.example', port: 4084 }).map(({ title, text }) => [title, text])
		);
		// "https://z.example:4084" has 22 octets
		const octets = Buffer.from('https://z.example:4084').toString('hex');
		expect(texts.get('Option 143 (DHCPv4) and 136 (DHCPv6), in hexadecimal')).to.equal(
			`0016${octets}`.toUpperCase()
		);
		expect(texts.get('dnsmasq')).to.match(/^dhcp-option=143,00:16:68:74:74:70:73:3a:/);
		for (const line of texts.get('Kea, among option-data of DHCPv4 and of DHCPv6')!.split('\n'))
			expect(JSON.parse(line)).to.include({ 'csv-format': false, data: `0016${octets}`.toUpperCase() });
		expect([...texts.values()].join('\n')).to.include('SRV 0 0 4084 z.example.');
		// An address has no records
		expect(
			networkTexts({ name: '2001:db8::1', port: 1 })
				.map(({ text }) => text)
				.join('\n')
		)
			.to.include('https://[2001:db8::1]:1')
			.and.not.include('SRV');
	});

	it('is none when it is cut off, empty or anything else, and reading never throws', () => {
		for (const octets of [[], [0], [0, 0], [0, 5, 104], [0, 1, 104, 0]])
			expect(readBootstrapOption(Uint8Array.from(octets))).to.equal(null);
		fc.assert(fc.property(fc.uint8Array({ maxLength: 300 }), (octets) => void readBootstrapOption(octets)));
	});
});
