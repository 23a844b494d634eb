import type { Client, ClientChannel } from 'ssh2';
import { cleanText } from '../../../../core/text';
import { COMMAND_MS } from './channel';

/** No unit's configuration is longer; a hostile one could print for ever. */
const MOST_PRINTED_BYTES = 1024 * 1024;

/** Of what a unit says is wrong, this much is told. */
const LONGEST_QUOTED = 300;

/**
 * What the unit printed to one command, cleaned; `input` is given to it over its standard input. Rejects when it takes
 * too long, prints too much or says it failed.
 */
export function run(client: Client, command: string, input: string | null = null): Promise<string> {
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
			let complaint = '';
			channel.stderr.on('data', (chunk: Buffer) => {
				if (complaint.length < LONGEST_QUOTED) complaint += chunk.toString('utf8');
			});
			if (input !== null) channel.end(input);
			let status: number | null = null;
			channel.on('exit', (code: number | null) => (status = code));
			channel.on('close', () =>
				finish(() =>
					status === null || status === 0
						? resolve(cleanText(Buffer.concat(chunks).toString('utf8')))
						: reject(
								new Error(refusalWords(command, status, complaint || Buffer.concat(chunks).toString('utf8')))
							)
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

function refusalWords(command: string, status: number, printed: string): string {
	const words = cleanText(printed).trim().slice(0, LONGEST_QUOTED);
	return `“${command}” ended with status ${status}${words === '' ? '' : `: “${words}”`}.`;
}
