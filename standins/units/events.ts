import { createSocket } from 'node:dgram';
import { connect } from 'node:net';

/** Something that a unit says to its log server, if its configuration names one. */
export type Happening =
	| { readonly what: 'configured'; readonly by: string }
	| { readonly what: 'started'; readonly release: string };

/** What each maker's firmware prints, as its manual page has it, and over what. */
interface Saying {
	readonly over: 'udp' | 'tcp';
	readonly message: (name: string, happening: Happening, at: Date) => string;
}

/** RFC 5424 with local use 7. */
const modern = (severity: number, at: Date, name: string, rest: string): string =>
	`<${23 * 8 + severity}>1 ${at.toISOString()} ${name} ${rest}`;
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const older = (severity: number, at: Date, name: string, rest: string): string =>
	`<${23 * 8 + severity}>${MONTHS[at.getUTCMonth()]} ${String(at.getUTCDate()).padStart(2)} ${at.toISOString().slice(11, 19)} ${name} ${rest}`;

export const SAYINGS: Readonly<Record<string, Saying>> = {
	veltrane: {
		over: 'udp',
		message: (name, happening, at) =>
			happening.what === 'configured'
				? modern(5, at, name, `setup - SETUP - \ufeffconfiguration changed by ${happening.by}`)
				: modern(5, at, name, `chassis - START - \ufeffrelease ${happening.release} started`)
	},
	okapira: {
		over: 'udp',
		message: (name, happening, at) =>
			happening.what === 'configured'
				? older(5, at, name, `scribe[212]: written by ${happening.by};`)
				: older(6, at, name, `kernel: release ${happening.release} awake;`)
	},
	lumenfold: {
		over: 'tcp',
		message: (name, happening, at) =>
			happening.what === 'configured'
				? modern(
						5,
						at,
						name,
						`api - put [request@32473 path="/configuration" user="${happening.by}"] configuration replaced`
					)
				: modern(6, at, name, `boot - up [system@32473 release="${happening.release}"] up`)
	},
	brackwater: {
		over: 'udp',
		message: (name, happening, at) =>
			happening.what === 'configured'
				? modern(5, at, name, `ncd - config-change [session@32473 user="${happening.by}"]`)
				: modern(6, at, name, `system - start - release ${happening.release}`)
	}
};

/** Sends it, from an address of its own where it has one. Nobody answers; nobody notices when it is lost. */
export function sayTo(
	maker: string,
	{
		name,
		happening,
		port,
		from
	}: {
		readonly name: string;
		readonly happening: Happening;
		readonly port: number;
		readonly from: string | undefined;
	}
): void {
	const { over, message } = SAYINGS[maker]!;
	const octets = Buffer.from(message(name, happening, new Date()));
	if (over === 'tcp') {
		const socket = connect({ host: '127.0.0.1', port, ...(from && { localAddress: from }) });
		socket.on('error', () => socket.destroy());
		// With its length before it (RFC 6587)
		socket.end(Buffer.concat([Buffer.from(`${octets.length} `), octets]));
		return;
	}
	const socket = createSocket('udp4');
	socket.on('error', () => socket.close());
	socket.bind(0, from, () => socket.send(octets, port, '127.0.0.1', () => socket.close()));
}
