import { createSocket, type Socket } from 'node:dgram';

/** SNTP (RFC 4330): the 48-octet packet, of which only the transmit time matters here. */
const PACKET_BYTES = 48;
const TRANSMIT_AT = 40;
/** Seconds from 1900 to 1970. */
const NTP_EPOCH = 2_208_988_800;
const CLIENT = 0x23;
const SERVER = 0x24;

export function serveTime(port: number): Promise<Socket> {
	const socket = createSocket('udp4');
	socket.on('message', (packet, sender) => {
		if (packet.length < PACKET_BYTES) return;
		const answer = Buffer.alloc(PACKET_BYTES);
		answer[0] = SERVER;
		answer[1] = 2;
		const now = Date.now() / 1000 + NTP_EPOCH;
		answer.writeUInt32BE(Math.floor(now), TRANSMIT_AT);
		answer.writeUInt32BE(Math.floor((now % 1) * 2 ** 32), TRANSMIT_AT + 4);
		socket.send(answer, sender.port, sender.address);
	});
	return new Promise((resolve, reject) => {
		socket.once('error', reject);
		socket.bind(port, '127.0.0.1', () => resolve(socket));
	});
}

/** The time in milliseconds since the epoch; null when nobody answers. */
export function askTime(server: string, port: number, patience = 1500): Promise<number | null> {
	const socket = createSocket('udp4');
	return new Promise((resolve) => {
		const finish = (time: number | null) => {
			clearTimeout(deadline);
			socket.close();
			resolve(time);
		};
		const deadline = setTimeout(() => finish(null), patience);
		socket.on('error', () => finish(null));
		socket.on('message', (packet) =>
			finish(packet.length < PACKET_BYTES ? null : (packet.readUInt32BE(TRANSMIT_AT) - NTP_EPOCH) * 1000)
		);
		const question = Buffer.alloc(PACKET_BYTES);
		question[0] = CLIENT;
		socket.send(question, port, server);
	});
}
