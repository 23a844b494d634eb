import { createSocket, type Socket } from 'node:dgram';
import { randomInt } from 'node:crypto';

/**
 * Just enough DHCPv4 (RFC 2131, 2132) for a lease: discover, offer, request, acknowledge, on a loopback
 * port of our own. Option 143 (RFC 8572 section 8.3) carries the bootstrap server's addresses.
 */
const COOKIE = Buffer.from([99, 130, 83, 99]);
const FIXED_BYTES = 236;
const OPTION = {
	domainServer: 6,
	ntpServer: 42,
	requestedAddress: 50,
	leaseTime: 51,
	type: 53,
	serverId: 54,
	bootstrap: 143,
	end: 255
} as const;
const TYPE = { discover: 1, offer: 2, request: 3, acknowledge: 5 } as const;
const REQUEST = 1;
const REPLY = 2;
const ETHERNET = 1;

export interface Lease {
	readonly address: string;
	readonly nameServer: string;
	readonly timeServer: string;
	readonly bootstrapServers: readonly string[];
}

interface Message {
	readonly operation: number;
	readonly transaction: number;
	readonly mac: string;
	readonly yourAddress: string;
	readonly options: ReadonlyMap<number, Buffer>;
}

const address = (text: string) => Buffer.from(text.split('.').map(Number));
const printed = (octets: Buffer) => [...octets.subarray(0, 4)].join('.');

export function encode(message: Message): Buffer {
	const fixed = Buffer.alloc(FIXED_BYTES);
	fixed[0] = message.operation;
	fixed[1] = ETHERNET;
	fixed[2] = 6;
	fixed.writeUInt32BE(message.transaction, 4);
	address(message.yourAddress).copy(fixed, 16);
	Buffer.from(message.mac.replaceAll(':', ''), 'hex').copy(fixed, 28);
	const options = [...message.options].map(([code, value]) =>
		Buffer.concat([Buffer.from([code, value.length]), value])
	);
	return Buffer.concat([fixed, COOKIE, ...options, Buffer.from([OPTION.end])]);
}

export function decode(packet: Buffer): Message | null {
	if (
		packet.length < FIXED_BYTES + COOKIE.length ||
		!packet.subarray(FIXED_BYTES, FIXED_BYTES + 4).equals(COOKIE)
	)
		return null;
	const options = new Map<number, Buffer>();
	for (
		let at = FIXED_BYTES + 4;
		at + 1 < packet.length && packet[at] !== OPTION.end;
		at += 2 + packet[at + 1]!
	)
		options.set(packet[at]!, packet.subarray(at + 2, at + 2 + packet[at + 1]!));
	return {
		operation: packet[0]!,
		transaction: packet.readUInt32BE(4),
		mac: packet
			.subarray(28, 34)
			.toString('hex')
			.replace(/(..)(?=.)/g, '$1:'),
		yourAddress: printed(packet.subarray(16, 20)),
		options
	};
}

/** Option 143: each address with its length in two octets before it. */
export function encodeBootstrapServers(uris: readonly string[]): Buffer {
	return Buffer.concat(
		uris.map((uri) => {
			const text = Buffer.from(uri);
			const length = Buffer.alloc(2);
			length.writeUInt16BE(text.length);
			return Buffer.concat([length, text]);
		})
	);
}

export function decodeBootstrapServers(value: Buffer): string[] {
	const uris: string[] = [];
	for (let at = 0; at + 2 <= value.length; at += 2 + value.readUInt16BE(at))
		uris.push(value.subarray(at + 2, at + 2 + value.readUInt16BE(at)).toString());
	return uris;
}

/** Serves leases to whoever `mayHave` one, out of 100.64.0.0/16 (shared address space, RFC 6598). */
export function serveDhcp(
	port: number,
	offer: () => Omit<Lease, 'address'>,
	mayHave: (mac: string) => boolean
): Promise<Socket> {
	const leases = new Map<string, string>();
	const socket = createSocket('udp4');
	socket.on('message', (packet, sender) => {
		const asked = decode(packet);
		const kind = asked?.options.get(OPTION.type)?.[0];
		if (!asked || !mayHave(asked.mac) || (kind !== TYPE.discover && kind !== TYPE.request)) return;
		if (!leases.has(asked.mac))
			leases.set(asked.mac, `100.64.${(leases.size + 10) >> 8}.${(leases.size + 10) & 255}`);
		const { nameServer, timeServer, bootstrapServers } = offer();
		const options = new Map<number, Buffer>([
			[OPTION.type, Buffer.from([kind === TYPE.discover ? TYPE.offer : TYPE.acknowledge])],
			[OPTION.serverId, address('127.0.0.1')],
			[OPTION.leaseTime, Buffer.from([0, 0, 14, 16])],
			[OPTION.domainServer, address(nameServer)],
			[OPTION.ntpServer, address(timeServer)],
			[OPTION.bootstrap, encodeBootstrapServers(bootstrapServers)]
		]);
		socket.send(
			encode({ ...asked, operation: REPLY, yourAddress: leases.get(asked.mac)!, options }),
			sender.port,
			sender.address
		);
	});
	return new Promise((resolve, reject) => {
		socket.once('error', reject);
		socket.bind(port, '127.0.0.1', () => resolve(socket));
	});
}

/** Asks for a lease. Resolves with null when nobody answers in time. */
export function requestLease(port: number, mac: string, patience: number): Promise<Lease | null> {
	const transaction = randomInt(2 ** 32);
	const socket = createSocket('udp4');
	const ask = (kind: number, wanted?: string) => {
		const options = new Map<number, Buffer>([[OPTION.type, Buffer.from([kind])]]);
		if (wanted) options.set(OPTION.requestedAddress, address(wanted));
		socket.send(
			encode({ operation: REQUEST, transaction, mac, yourAddress: '0.0.0.0', options }),
			port,
			'127.0.0.1'
		);
	};
	return new Promise((resolve) => {
		const finish = (lease: Lease | null) => {
			clearTimeout(deadline);
			socket.close();
			resolve(lease);
		};
		const deadline = setTimeout(() => finish(null), patience);
		socket.on('error', () => finish(null));
		socket.on('message', (packet) => {
			const answer = decode(packet);
			if (!answer || answer.transaction !== transaction) return;
			const kind = answer.options.get(OPTION.type)?.[0];
			if (kind === TYPE.offer) ask(TYPE.request, answer.yourAddress);
			if (kind === TYPE.acknowledge)
				finish({
					address: answer.yourAddress,
					nameServer: printed(answer.options.get(OPTION.domainServer) ?? Buffer.alloc(4)),
					timeServer: printed(answer.options.get(OPTION.ntpServer) ?? Buffer.alloc(4)),
					bootstrapServers: decodeBootstrapServers(answer.options.get(OPTION.bootstrap) ?? Buffer.alloc(0))
				});
		});
		ask(TYPE.discover);
	});
}
