import { createSocket } from 'node:dgram';

/** A flood of datagrams, in a process of its own: so many a second to a port, for so many seconds; says how many it sent. */
const [port, rate, seconds, text] = process.argv.slice(2);
const socket = createSocket({ type: 'udp4', sendBufferSize: 4 * 1024 * 1024 });
const octets = Buffer.from(text!);
const TICK_MS = 10;
const ends = Date.now() + Number(seconds) * 1000;
let [sent, underWay] = [0, 0];

function tick(): void {
	const due = Math.min(
		Number(rate) * Number(seconds),
		((Date.now() - (ends - Number(seconds) * 1000)) / 1000) * Number(rate)
	);
	// What cannot leave is not piled up: the flood is as fast as the machine is, at most
	for (; sent < due && underWay < 2_000; sent++) {
		underWay++;
		socket.send(octets, Number(port), '127.0.0.1', () => underWay--);
	}
	if (Date.now() < ends) setTimeout(tick, TICK_MS);
	else socket.close(() => process.stdout.write(String(sent)));
}
tick();
