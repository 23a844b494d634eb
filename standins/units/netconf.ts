import type ssh2 from 'ssh2';
import { markedUp, MARKUP, NotUnderstood, type Statement } from './configuration';

/** A NETCONF server (RFC 6241, 6242) as small as a switch has one: it reads, and refuses what it cannot do. */
const BASE = 'urn:ietf:params:xml:ns:netconf:base:1.0';
const END = ']]>]]>';
let sessions = 0;

/** What it is asked for: its running configuration, or how it is. */
export interface NetconfDevice {
	readonly configuration: () => string;
	readonly state: () => string;
}

export function serveNetconf(channel: ssh2.ServerChannel, device: NetconfDevice): void {
	let chunked = false;
	let buffer = '';
	const send = (message: string) => {
		const octets = Buffer.from(message);
		channel.write(
			chunked
				? Buffer.concat([Buffer.from(`\n#${octets.length}\n`), octets, Buffer.from('\n##\n')])
				: Buffer.concat([octets, Buffer.from(END)])
		);
	};
	send(
		`<?xml version="1.0" encoding="UTF-8"?><hello xmlns="${BASE}"><capabilities>` +
			['base:1.0', 'base:1.1']
				.map((one) => `<capability>urn:ietf:params:netconf:${one}</capability>`)
				.join('') +
			`</capabilities><session-id>${++sessions}</session-id></hello>`
	);
	/** The next whole message, or null. Texts here are kept as octets, one a character. */
	const next = (): string | null => {
		if (!chunked) {
			const at = buffer.indexOf(END);
			if (at < 0) return null;
			const message = buffer.slice(0, at);
			buffer = buffer.slice(at + END.length);
			return message;
		}
		let [at, message] = [0, ''];
		for (;;) {
			const head = /^\n#(\d+|#)\n/.exec(buffer.slice(at, at + 16));
			if (!head) return null;
			at += head[0].length;
			if (head[1] === '#') {
				buffer = buffer.slice(at);
				return message;
			}
			const length = Number(head[1]);
			if (buffer.length < at + length) return null;
			message += buffer.slice(at, at + length);
			at += length;
		}
	};
	channel.on('data', (octets: Buffer) => {
		buffer += octets.toString('latin1');
		for (let message = next(); message !== null; message = next())
			answer(Buffer.from(message, 'latin1').toString());
	});

	function answer(message: string): void {
		let said: Statement[];
		try {
			said = MARKUP.read(message);
		} catch (error) {
			// Broken framing is answered with silence
			if (error instanceof NotUnderstood) return;
			throw error;
		}
		const [root] = said;
		if (root?.word === 'hello') {
			chunked = message.includes('urn:ietf:params:netconf:base:1.1');
			return;
		}
		const id = /message-id\s*=\s*["']([^"']*)["']/.exec(message)?.[1] ?? '';
		const reply = (inside: string) =>
			send(`<nc:rpc-reply xmlns:nc="${BASE}" message-id="${markedUp(id)}">${inside}</nc:rpc-reply>`);
		const [operation] = root?.inside ?? [];
		if (operation?.word === 'get-config' && operation.inside[0]?.inside[0]?.word === 'running')
			reply(`<nc:data>${device.configuration()}</nc:data>`);
		else if (operation?.word === 'get') reply(`<nc:data>${device.state()}</nc:data>`);
		else if (operation?.word === 'close-session') {
			reply('<nc:ok/>');
			channel.end();
		} else
			reply(
				'<nc:rpc-error><nc:error-type>protocol</nc:error-type><nc:error-tag>operation-not-supported</nc:error-tag>' +
					`<nc:error-severity>error</nc:error-severity><nc:error-message xml:lang="en">${markedUp(operation?.word ?? 'nothing')} is not for this switch</nc:error-message></nc:rpc-error>`
			);
	}
}
