import { StringDecoder } from 'node:string_decoder';
import type { Client } from 'ssh2';
import type { ShellRules } from '../../../../core/pack';
import { Shell, waits } from '../../../../core/terminal';
import { openChannel } from './channel';
import { TERMINAL } from './shell';

/** No greeting is longer. In characters. */
const LONGEST = 64 * 1024;
/** What has begun to greet goes on within so long. */
const QUIET_MS = 5_000;
const LONGEST_MS = 30_000;

/**
 * What a command line shows by itself when it is opened: as soon as it is what one of the packs’ shows, else what there is
 * when it falls silent, or for as long as the most patient pack waits for the first sound. Nothing is typed. Empty where it
 * shows nothing, or there is none.
 */
export async function greetingOf(client: Client, shells: readonly ShellRules[]): Promise<string> {
	const channel = await openChannel(client, 'It gave no command line.', (opened) => {
		client.shell(TERMINAL, opened);
	}).catch(() => null);
	if (!channel) return '';
	const patience = Math.min(LONGEST_MS, Math.max(0, ...shells.map((shell) => shell.patience * 1000)));
	const decoder = new StringDecoder('utf8');
	const listening = shells.map((shell) => new Shell(shell));
	let heard = '';
	await new Promise<void>((resolve) => {
		let silence = setTimeout(resolve, patience);
		const longest = setTimeout(resolve, LONGEST_MS);
		const end = () => {
			clearTimeout(silence);
			clearTimeout(longest);
			resolve();
		};
		const hear = (chunk: Buffer) => {
			const text = decoder.write(chunk);
			heard += text;
			const isKnown = listening.map((shell) => waits(shell.hear(text))).includes(true);
			if (isKnown || heard.length > LONGEST) return end();
			clearTimeout(silence);
			silence = setTimeout(end, QUIET_MS);
		};
		channel.on('data', hear);
		channel.stderr.on('data', hear);
		channel.on('error', end);
		channel.on('close', end);
	});
	channel.close();
	return heard.slice(0, LONGEST);
}
