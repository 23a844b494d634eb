import type { Client, ClientChannel } from 'ssh2';
import { cleanText } from '../../../core/text';
import { COMMAND_MS } from './channel';

/** No unit's configuration is longer; a hostile one could print for ever. */
const MOST_PRINTED_BYTES = 1024 * 1024;

/** What the unit printed to one command, cleaned. Rejects when it takes too long, prints too much or says it failed. */
export function run(client: Client, command: string): Promise<string> {
	return new Promise((resolve, reject) => {
		let open: ClientChannel | undefined;
		const deadline = setTimeout(() => {
			reject(new Error(`“${command}” took longer than ${COMMAND_MS / 1000} s.`));
			// What is not even begun holds everything up; of what is, nothing more is wanted
			if (open) open.close();
			else client.end();
		}, COMMAND_MS);
		const finish = (act: () => void) => {
			clearTimeout(deadline);
			act();
		};
		const begun = (error: Error | undefined, channel: ClientChannel) => {
			if (error) return finish(() => reject(error));
			open = channel;
			channel.on('error', (failed: Error) => finish(() => reject(failed)));
			const chunks: Buffer[] = [];
			let bytes = 0;
			channel.on('data', (chunk: Buffer) => {
				bytes += chunk.length;
				if (bytes > MOST_PRINTED_BYTES) {
					channel.close();
					return finish(() => reject(new Error(`“${command}” printed more than 1 MB.`)));
				}
				chunks.push(chunk);
			});
			channel.stderr.resume();
			let status: number | null = null;
			channel.on('exit', (code: number | null) => (status = code));
			channel.on('close', () =>
				finish(() =>
					status === null || status === 0
						? resolve(cleanText(Buffer.concat(chunks).toString('utf8')))
						: reject(new Error(`“${command}” ended with status ${status}.`))
				)
			);
		};
		try {
			client.exec(command, begun);
		} catch (error) {
			// It throws at once when the connection is gone
			finish(() => reject(error as Error));
		}
	});
}
