import type { Client, ClientChannel } from 'ssh2';
import {
	errorWords,
	Framing,
	hello,
	readHello,
	readReply,
	rpc,
	type ReplyReading
} from '../../../../core/netconf';
import { cleanText } from '../../../../core/text';
import { offMainThread, task } from '../../threads';
import { COMMAND_MS, openChannel, SMALL } from './channel';

const READ_REPLY = task<Parameters<typeof readReply>, ReplyReading>('readReply');

/** A NETCONF session (RFC 6241, 6242): one operation at a time, the next only once the one before is answered. */
export class NetconfConsole {
	readonly #channel: ClientChannel;
	readonly #framing = new Framing();
	#id = 0;
	#waiting: { readonly resolve: (message: string) => void; readonly reject: (error: Error) => void } | null =
		null;
	#early: string[] = [];
	#closed: Error | null = null;

	private constructor(channel: ClientChannel) {
		this.#channel = channel;
		channel.on('data', (octets: Buffer) => this.#hear(octets));
		channel.stderr.resume();
		channel.on('error', (error: Error) => this.#close(error));
		channel.on('close', () => this.#close(new Error('The NETCONF session was closed.')));
	}

	/** Opens it and greets. Rejects when the device has none, or its greeting is not one. */
	static async open(client: Client): Promise<NetconfConsole> {
		const channel = await openChannel(client, 'The unit gave no NETCONF session.', (opened) => {
			client.subsys('netconf', opened);
		});
		const console = new NetconfConsole(channel);
		try {
			channel.write(console.#framing.encode(hello()));
			// Some give no answer to an operation that comes with the greeting, so theirs is waited for
			const greeting = readHello(await console.#next('Its greeting'));
			if (!greeting.ok) throw new Error(greeting.problem);
			if (greeting.isChunked) console.#framing.useChunks();
			return console;
		} catch (error) {
			channel.close();
			throw error;
		}
	}

	/** What an operation brought: what is inside of `data`, or nothing where it was done. Rejects with what the device says is wrong. */
	async say(operation: string): Promise<string> {
		const id = ++this.#id;
		this.#early = [];
		this.#channel.write(this.#framing.encode(rpc(id, operation)));
		const message = await this.#next('An operation');
		return answerOf(
			message.length <= SMALL ? readReply(message, id) : await offMainThread(READ_REPLY, [message, id])
		);
	}

	/** Ends the session as it is asked for; whatever comes of it, the channel is closed. */
	async leave(): Promise<void> {
		try {
			if (!this.#closed) await this.say('<close-session/>');
		} catch {
			// It is closed all the same
		} finally {
			this.#channel.close();
		}
	}

	#next(what: string): Promise<string> {
		const early = this.#early.shift();
		if (early !== undefined) return Promise.resolve(early);
		if (this.#closed) return Promise.reject(this.#closed);
		return new Promise((resolve, reject) => {
			const deadline = setTimeout(
				() => this.#close(new Error(`${what} was not answered within ${COMMAND_MS / 1000} s.`)),
				COMMAND_MS
			);
			const over = () => {
				clearTimeout(deadline);
				this.#waiting = null;
			};
			this.#waiting = {
				resolve: (message) => {
					over();
					resolve(message);
				},
				reject: (error) => {
					over();
					reject(error);
				}
			};
		});
	}

	#hear(octets: Buffer): void {
		try {
			for (const message of this.#framing.push(octets)) {
				if (this.#waiting) this.#waiting.resolve(message);
				// Nothing was asked: one greeting can come before ours is written
				else if (this.#early.length < 2) this.#early.push(message);
			}
		} catch (error) {
			this.#close(error as Error);
		}
	}

	#close(error: Error): void {
		this.#closed ??= error;
		this.#waiting?.reject(error);
		this.#channel.close();
	}
}

function answerOf(reply: ReplyReading): string {
	switch (reply.kind) {
		case 'ok':
			return '';
		case 'data':
			return cleanText(reply.text);
		case 'error':
			throw new Error(`It refused: ${errorWords(reply.errors)}.`);
		case 'unreadable':
			throw new Error(reply.problem);
	}
}
