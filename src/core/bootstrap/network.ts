/**
 * What a site's network has to say for a factory-new unit to find its bootstrap server: DHCPv4 option 143 and DHCPv6
 * option 136 (RFC 8572 section 8.3: for each URI its length in two octets and the URI), and DNS-SD (RFC 6763) for
 * `_sztp._tcp`.
 */
export interface BootstrapServer {
	/** A host name, or an address. */
	readonly name: string;
	readonly port: number;
}

/** A DHCPv4 option holds no more (RFC 2132); a longer one would have to be parted (RFC 3396). */
export const LONGEST_OPTION = 255;

const hostOf = ({ name }: BootstrapServer): string =>
	name.includes(':') && !name.startsWith('[') ? `[${name}]` : name;
export const bootstrapUri = (server: BootstrapServer): string => `https://${hostOf(server)}:${server.port}`;

/** The option's octets. Throws where they are more than fit. */
export function bootstrapOption(servers: readonly BootstrapServer[]): Uint8Array {
	const octets = servers.flatMap((server) => {
		const uri = new TextEncoder().encode(bootstrapUri(server));
		return [uri.length >> 8, uri.length & 255, ...uri];
	});
	if (octets.length === 0 || octets.length > LONGEST_OPTION)
		throw new Error(`Option 143 holds ${LONGEST_OPTION} octets at most; this would be ${octets.length}.`);
	return Uint8Array.from(octets);
}

/** The servers that an option names, as a unit reads it; null for what is none. Law: reads what `bootstrapOption` writes. */
export function readBootstrapOption(octets: Uint8Array): readonly string[] | null {
	const uris: string[] = [];
	for (let at = 0; at < octets.length;) {
		const length = (octets[at]! << 8) | (octets[at + 1] ?? 0);
		const end = at + 2 + length;
		if (length === 0 || end > octets.length) return null;
		uris.push(new TextDecoder().decode(octets.subarray(at + 2, end)));
		at = end;
	}
	return uris.length > 0 ? uris : null;
}

export interface NetworkText {
	readonly title: string;
	readonly text: string;
}

/** The same for whoever looks after the network, in the words of what they have. */
export function networkTexts(server: BootstrapServer): readonly NetworkText[] {
	const pairs = Array.from(bootstrapOption([server]), (octet) => octet.toString(16).padStart(2, '0'));
	const colons = pairs.join(':');
	const solid = pairs.join('').toUpperCase();
	const { port } = server;
	const host = hostOf(server);
	const isName = !/^[\d.]+$|:/.test(server.name);
	return [
		{ title: 'The address itself', text: bootstrapUri(server) },
		{ title: 'Option 143 (DHCPv4) and 136 (DHCPv6), in hexadecimal', text: solid },
		{ title: 'The same with colons', text: colons },
		{
			title: 'dnsmasq',
			text: `dhcp-option=143,${colons}\ndhcp-option=option6:136,${colons}`
		},
		{
			title: 'Kea, among option-data of DHCPv4 and of DHCPv6',
			text: `{ "code": 143, "space": "dhcp4", "csv-format": false, "data": "${solid}" }\n{ "code": 136, "space": "dhcp6", "csv-format": false, "data": "${solid}" }`
		},
		{
			title: 'ISC DHCP',
			text: `option sztp-redirect code 143 = string;\noption sztp-redirect ${colons};`
		},
		...(isName
			? [
					{
						title: 'DNS-SD, in the zone that the site looks names up in',
						text: `_sztp._tcp IN PTR limen._sztp._tcp\nlimen._sztp._tcp IN SRV 0 0 ${port} ${server.name}.\nlimen._sztp._tcp IN TXT ""`
					}
				]
			: []),
		{
			title: 'Ask this from a computer on site: it answers with “restconf”',
			text: `curl -sS --insecure https://${host}:${port}/.well-known/host-meta`
		}
	];
}
