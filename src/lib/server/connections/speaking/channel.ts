import type { Client, ClientChannel } from 'ssh2';

/** So long an answer may take, and so long a channel may take to be opened. */
export const COMMAND_MS = 60_000;
/** What is longer is read beside the main thread: a unit could make it slow. In characters. */
export const SMALL = 16 * 1024;

/** Opens a channel. Rejects when the unit gives none, or the connection is gone; `words`: what was not given then. */
export const openChannel = (
	client: Client,
	words: string,
	open: (opened: (error: Error | undefined, channel: ClientChannel) => void) => void
): Promise<ClientChannel> =>
	new Promise((resolve, reject) => {
		const deadline = setTimeout(() => {
			reject(new Error(words));
			// What is not even begun holds everything up
			client.end();
		}, COMMAND_MS);
		const fail = (error: Error) => {
			clearTimeout(deadline);
			reject(error);
		};
		try {
			open((error, channel) => {
				if (error) return fail(error);
				clearTimeout(deadline);
				resolve(channel);
			});
		} catch (error) {
			// It throws at once when the connection is gone
			fail(error as Error);
		}
	});
