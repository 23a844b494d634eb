import { createSocket, type Socket } from 'node:dgram';
import { Resolver } from 'node:dns/promises';
import dnsPacket from 'dns-packet';

/** A name server (RFC 1035) that knows some names, all of one address. */
export function serveNames(port: number, names: readonly string[], address: string): Promise<Socket> {
	const socket = createSocket('udp4');
	socket.on('message', (packet, sender) => {
		const query = dnsPacket.decode(packet);
		const [question] = query.questions ?? [];
		const known = question?.type === 'A' && names.includes(question.name.toLowerCase());
		const answer = dnsPacket.encode({
			type: 'response',
			id: query.id ?? 0,
			flags: known ? dnsPacket.AUTHORITATIVE_ANSWER : dnsPacket.AUTHORITATIVE_ANSWER | 3,
			questions: query.questions ?? [],
			answers: known ? [{ type: 'A', name: question.name, ttl: 60, data: address }] : []
		});
		socket.send(answer, sender.port, sender.address);
	});
	return new Promise((resolve, reject) => {
		socket.once('error', reject);
		socket.bind(port, '127.0.0.1', () => resolve(socket));
	});
}

/** The address of a name by a name server, asked so often; null when it cannot be had. */
export async function resolveName(
	name: string,
	server: string,
	port: number,
	tries = 1
): Promise<string | null> {
	if (/^[\d.]+$/.test(name)) return name;
	const resolver = new Resolver({ timeout: 1500, tries });
	resolver.setServers([`${server}:${port}`]);
	return resolver.resolve4(name).then(
		([first]) => first ?? null,
		() => null
	);
}
