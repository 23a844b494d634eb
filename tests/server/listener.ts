import { createServer, type IncomingHttpHeaders, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** Something that a listener was told. */
export interface Heard {
	readonly method: string;
	readonly path: string;
	readonly headers: IncomingHttpHeaders;
	readonly body: string;
}
type Answer = (response: ServerResponse, heard: Heard) => void;

/** A program that is told what happens, and answers as it is made to. */
export class Listener {
	readonly heard: Heard[] = [];
	#server: Server | undefined;
	#waiting: (() => void)[] = [];
	#answer: Answer;

	constructor(answer: Answer = (response) => response.writeHead(204).end()) {
		this.#answer = answer;
	}

	/** From now on it answers otherwise. */
	answers(answer: Answer): void {
		this.#answer = answer;
	}

	/** Listens, and returns its address. */
	async start(host = '127.3.0.1'): Promise<string> {
		this.#server = createServer((request, response) => {
			const parts: Buffer[] = [];
			request.on('data', (part: Buffer) => parts.push(part));
			request.once('end', () => {
				const { method = '', url = '', headers } = request;
				const heard = { method, path: url, headers, body: Buffer.concat(parts).toString('utf8') };
				this.heard.push(heard);
				this.#answer(response, heard);
				for (const tell of this.#waiting.splice(0)) tell();
			});
		});
		await new Promise<void>((resolve) => this.#server!.listen(0, host, resolve));
		return `http://${host}:${(this.#server.address() as AddressInfo).port}/heard`;
	}

	/** Resolves when it has been told so often. */
	async told(times: number): Promise<readonly Heard[]> {
		while (this.heard.length < times) await new Promise<void>((resolve) => this.#waiting.push(resolve));
		return this.heard;
	}

	async stop(): Promise<void> {
		this.#server?.closeAllConnections();
		await new Promise((resolve) => (this.#server ? this.#server.close(resolve) : resolve(null)));
	}
}
