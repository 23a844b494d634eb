import type { IncomingMessage, ServerResponse } from 'node:http';
import { BlockList, isIP } from 'node:net';
import { constants } from 'node:zlib';
import compression from 'compression';

/**
 * What stands between a connection and the application: whom it is from, what becomes of a body that nobody read, and that
 * text takes little of a phone's signal.
 */

const TEXT =
	/^(text\/(html|css|csv|calendar|plain|javascript)|image\/svg\+xml|application\/([a-z.-]+\+)?(json|xml))\b/;
/**
 * Compresses text that is long enough to gain by it. Not what another site has a browser ask for: from how long an answer
 * gets with what it says in its address, such a site could learn what else is in it. Streams of events go out as they come.
 */
const compress = compression({
	// A page whose end is still being worked out shows its beginning
	flush: constants.Z_SYNC_FLUSH,
	filter: ({ headers }, response) =>
		headers['sec-fetch-site'] !== 'cross-site' && TEXT.test(String(response.getHeader('content-type') ?? ''))
});
export function compressed(request: IncomingMessage, response: ServerResponse, answer: () => void): void {
	compress(request as Parameters<typeof compress>[0], response as Parameters<typeof compress>[1], answer);
}

/** The proxies that a setting names, each an address or a range such as 192.0.2.0/24. */
export function proxyList(ranges: readonly string[]): BlockList {
	const list = new BlockList();
	for (const range of ranges) {
		const [address = '', length] = range.split('/');
		const family = isIP(address) === 6 ? 'ipv6' : 'ipv4';
		if (length === undefined) list.addAddress(address, family);
		else list.addSubnet(address, Number(length), family);
	}
	return list;
}

const plainAddress = (address: string): string =>
	address.replace(/^::ffff:(?=\d+\.)/i, '').replace(/%.*$/, '');

const isListed = (list: BlockList, address: string): boolean =>
	list.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** RFC 7239 section 4: the `for` of each element, quoted when it has brackets or a port. */
const forwardedFor = (header: string): string[] =>
	header.split(',').map((element) => /(?:^|;)\s*for=("?)([^";,]*)\1/i.exec(element)?.[2] ?? '');

const withoutPort = (text: string): string => {
	const bare = /^\[([^\]]+)\](?::\d+)?$/.exec(text)?.[1] ?? /^([\d.]+)(?::\d+)?$/.exec(text)?.[1] ?? text;
	return plainAddress(bare.trim());
};

/** No chain of proxies is longer; a header can be. */
const MOST_HOPS = 20;

/**
 * Whom a request is from: the connection's own address, or, while that is a proxy of ours, the one that
 * the proxy says it forwards for, from the nearest hop outwards. A proxy sets one of the two headers and
 * passes the other on as its client wrote it: where both stand and disagree, neither is believed.
 */
export function clientAddress({ socket, headers }: IncomingMessage, proxies: BlockList): string {
	let address = plainAddress(socket.remoteAddress ?? '0.0.0.0');
	if (!isListed(proxies, address)) return address;
	const chains = [
		headers.forwarded === undefined ? null : forwardedFor(headers.forwarded),
		headers['x-forwarded-for'] === undefined ? null : String(headers['x-forwarded-for']).split(',')
	].flatMap((chain) => (chain ? [chain.slice(-MOST_HOPS).map((one) => withoutPort(one.trim()))] : []));
	const outermost = chains.map((hops) => {
		let at = address;
		for (const hop of [...hops].reverse()) {
			if (!isListed(proxies, at) || isIP(hop) === 0) break;
			at = hop;
		}
		return at;
	});
	if (outermost.length > 0 && outermost.every((one) => one === outermost[0])) address = outermost[0]!;
	return address;
}

const MOST_DRAINED_BYTES = 8 * 1024 * 1024;
const DRAIN_MS = 10_000;

/**
 * Once a request is answered, what is left of its body is read and dropped, so that the next request on
 * the connection is heard; whoever sends more than a little of it, or slowly, loses the connection.
 */
export function dropUnreadBody(request: IncomingMessage, response: ServerResponse): void {
	response.once('finish', () => {
		if (request.complete || request.destroyed) return;
		let left = MOST_DRAINED_BYTES;
		const cut = () => request.socket.destroy();
		const deadline = setTimeout(cut, DRAIN_MS);
		// Whoever listened for data before may pause the stream
		request.removeAllListeners('data');
		request.on('data', (chunk: Buffer) => {
			left -= chunk.length;
			if (left < 0) cut();
		});
		request.once('close', () => clearTimeout(deadline));
		request.resume();
	});
}
