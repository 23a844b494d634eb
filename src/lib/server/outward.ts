import { lookup, type LookupAddress } from 'node:dns';
import { Agent as HttpAgent, request as httpRequest, type IncomingHttpHeaders } from 'node:http';
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https';
import { BlockList, isIP, type LookupFunction } from 'node:net';
import { currentSettings } from './settings';

/**
 * Requests to addresses that people type in: they go to the open Internet, and to those of the firm's own networks that the
 * settings name, never elsewhere into the network that Limen stands in, nor to Limen itself. What a name means is judged
 * where the connection is made, so that a name cannot mean one thing when it is checked and another when it is used;
 * whoever answers with another address is not followed.
 */

/** Not on the open Internet, by IANA's registry of special-purpose addresses. */
const INSIDE_IPV4 = listOf(
	...['0.0.0.0/8', '10.0.0.0/8', '100.64.0.0/10', '127.0.0.0/8', '169.254.0.0/16', '172.16.0.0/12'],
	...['192.0.0.0/24', '192.0.2.0/24', '192.168.0.0/16', '198.18.0.0/15', '198.51.100.0/24', '203.0.113.0/24'],
	...['224.0.0.0/4', '240.0.0.0/4']
);
/** Of IPv6 only this is global unicast; of it, these hold other addresses or are nobody's. */
const OPEN_IPV6 = listOf('2000::/3');
const INSIDE_IPV6 = listOf('2001::/23', '2001:db8::/32', '2002::/16', '3fff::/20');

function listOf(...networks: readonly string[]): BlockList {
	const list = new BlockList();
	for (const network of networks) {
		const [address = '', length] = network.split('/');
		const family = isIP(address) === 6 ? 'ipv6' : 'ipv4';
		list.addSubnet(address, length === undefined ? (family === 'ipv6' ? 128 : 32) : Number(length), family);
	}
	return list;
}

const isOpen = (address: string): boolean =>
	isIP(address) === 4
		? !INSIDE_IPV4.check(address)
		: OPEN_IPV6.check(address, 'ipv6') && !INSIDE_IPV6.check(address, 'ipv6');

/** An answer that does not come, for a reason that can be told to whoever typed in the address. */
export class NotAsked extends Error {}

export interface Asking {
	readonly url: string;
	readonly method: 'GET' | 'POST';
	readonly headers?: Readonly<Record<string, string>>;
	readonly body?: string;
	/** For all of it: to find, to connect, to send and to read. */
	readonly withinMs: number;
	/** More of an answer is not read. */
	readonly mostOctets: number;
}
export interface OutwardAnswer {
	readonly status: number;
	readonly headers: IncomingHttpHeaders;
	readonly body: Buffer;
	/** More came than was read. */
	readonly isCut: boolean;
}

/** What is wrong with an address that somebody types in; null when it can be asked, as far as can be said before it is. */
export function outwardProblem(text: string): string | null {
	if (!URL.canParse(text)) return 'That is no address.';
	const url = new URL(text);
	if (url.username || url.password) return 'An address does not hold a name or password.';
	if (url.protocol !== 'https:' && url.protocol !== 'http:') return 'It begins with https://.';
	const host = hostOf(url);
	const networks = ownNetworks();
	if (isIP(host) !== 0 && !isOwn(networks, host) && !isOpen(host)) return INSIDE;
	return url.protocol === 'http:' && (isIP(host) === 0 || !isOwn(networks, host)) ? NOT_SECURE : null;
}
const INSIDE = 'It lies within a network that is not asked; the setting LIMEN_OUTWARD_NETWORKS can name it.';
const NOT_SECURE = 'It begins with https://; http:// is for addresses in networks of LIMEN_OUTWARD_NETWORKS.';

const hostOf = ({ hostname }: URL): string => hostname.replace(/^\[|\]$/g, '');
const ownNetworks = (): BlockList => listOf(...currentSettings().LIMEN_OUTWARD_NETWORKS);
const isOwn = (networks: BlockList, address: string): boolean =>
	networks.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** Names are asked for what they mean, and what lies inside is left out. */
const guarded: LookupFunction = (name, options, answer) =>
	lookup(name, { ...options, all: true }, (error, found: LookupAddress[]) => {
		const networks = ownNetworks();
		const open = found?.filter(({ address }) => isOpen(address) || isOwn(networks, address));
		if (error) answer(error, []);
		else if (open.length === 0) answer(new NotAsked(INSIDE), []);
		else if (options.all) answer(null, open);
		else answer(null, open[0]!.address, open[0]!.family);
	});

const agents = {
	'http:': new HttpAgent({ keepAlive: true, maxSockets: 4, timeout: 30_000 }),
	'https:': new HttpsAgent({ keepAlive: true, maxSockets: 4, timeout: 30_000 })
};

/** Asks. Rejects with words that can be shown: when it may not be asked, is not reached, or does not answer in time. */
export async function askOutward({
	url,
	method,
	headers,
	body,
	withinMs,
	mostOctets
}: Asking): Promise<OutwardAnswer> {
	const problem = outwardProblem(url);
	if (problem) throw new NotAsked(problem);
	const isSecure = new URL(url).protocol === 'https:';
	const signal = AbortSignal.timeout(withinMs);
	return new Promise((resolve, reject) => {
		const fail = (error: NodeJS.ErrnoException) =>
			reject(signal.aborted ? new NotAsked(`No answer within ${withinMs / 1000} seconds.`) : error);
		const asked = (isSecure ? httpsRequest : httpRequest)(url, {
			method,
			headers: { ...headers, ...(body !== undefined && { 'content-length': Buffer.byteLength(body) }) },
			agent: agents[isSecure ? 'https:' : 'http:'],
			lookup: guarded,
			signal
		});
		asked.once('error', fail);
		asked.once('response', (response) => {
			const parts: Buffer[] = [];
			let size = 0;
			const end = (isCut: boolean) =>
				resolve({
					status: response.statusCode!,
					headers: response.headers,
					body: Buffer.concat(parts).subarray(0, mostOctets),
					isCut
				});
			response.on('data', (part: Buffer) => {
				parts.push(part);
				if ((size += part.length) <= mostOctets) return;
				end(true);
				asked.destroy();
			});
			response.once('end', () => end(false));
			response.once('error', fail);
			response.once('close', () => fail(new Error('The answer broke off.')));
		});
		asked.end(body);
	});
}
