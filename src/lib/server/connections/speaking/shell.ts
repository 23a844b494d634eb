import { StringDecoder } from 'node:string_decoder';
import type { Client, ClientChannel } from 'ssh2';
import type { ShellRules } from '../../../../core/pack';
import { patternOf } from '../../../../core/pattern';
import { Shell, type Heard, type Secret } from '../../../../core/terminal';
import { cleanText } from '../../../../core/text';
import { COMMAND_MS, openChannel } from './channel';

/** So wide that no line is broken. */
export const TERMINAL = { term: 'vt100', cols: 512, rows: 200 };
/** What looks like a prompt is one when nothing follows for so long. */
const SETTLE_MS = 120;
const LONGEST_SHOWN = 200;

/** A command line over a terminal, by prompts; core's Shell says what to do, this has the clock and the channel. */
export class ShellConsole {
	readonly #shell: Shell;
	readonly #channel: ClientChannel;
	readonly #rules: ShellRules;
	readonly #decoder = new StringDecoder('utf8');
	#waiting: { readonly resolve: (printed: string) => void; readonly reject: (error: Error) => void } | null =
		null;
	/** What is waited for, in words. */
	#what = '';
	#settle: NodeJS.Timeout | undefined;
	#silent: NodeJS.Timeout | undefined;
	#closed: Error | null = null;

	private constructor(channel: ClientChannel, rules: ShellRules) {
		this.#channel = channel;
		this.#rules = rules;
		this.#shell = new Shell(rules);
		channel.on('data', (chunk: Buffer) => this.#hear(this.#decoder.write(chunk)));
		channel.stderr.on('data', (chunk: Buffer) => this.#hear(this.#decoder.write(chunk)));
		channel.on('error', (error: Error) => this.#close(error));
		channel.on('close', () => this.#close(new Error('The command line was closed.')));
	}

	/** Opens it, and comes to where the pack's commands can be said; `secret`: what raises privileges, where that is asked for. Rejects when no prompt comes that the pack knows. */
	static async open(client: Client, rules: ShellRules, secret: string | null): Promise<ShellConsole> {
		const channel = await openChannel(client, 'The unit gave no command line.', (opened) => {
			client.shell(TERMINAL, opened);
		});
		const console = new ShellConsole(channel, rules);
		try {
			await console.#until('its first prompt', () => undefined);
			const { rise, prepare } = rules;
			if (rise) {
				await console.say(rise.say, rise.asks === undefined ? null : { asks: rise.asks, answer: secret });
				if (!patternOf(rise.prompt).fits(console.#shell.tail))
					throw new Error(
						`“${rise.say}” did not raise privileges: it waits at “${console.#shell.tail.slice(0, LONGEST_SHOWN)}”.`
					);
			}
			for (const command of prepare) await console.say(command);
			return console;
		} catch (error) {
			channel.close();
			throw error;
		}
	}

	/** What it printed to one line. Rejects when it takes too long, stands still at something unknown, or prints too much. */
	async say(command: string, secret: Secret | null = null): Promise<string> {
		if (/[\r\n]/.test(command)) throw new Error('One line at a time is said.');
		return this.#until(`“${command.slice(0, LONGEST_SHOWN)}”`, () => {
			this.#channel.write(this.#shell.type(command, secret));
		});
	}

	/** Leaves as the pack says; whatever comes of it, the channel is closed. */
	async leave(): Promise<void> {
		try {
			for (const command of this.#rules.leave.slice(0, -1)) await this.say(command);
			// The last one ends it: no prompt follows
			const last = this.#rules.leave.at(-1);
			if (last !== undefined && !this.#closed) this.#channel.write(this.#shell.type(last));
		} catch {
			// It is closed all the same
		} finally {
			this.#channel.close();
		}
	}

	#until(what: string, begin: () => void): Promise<string> {
		if (this.#closed) return Promise.reject(this.#closed);
		return new Promise((resolve, reject) => {
			const deadline = setTimeout(
				() => fail(new Error(`${what} took longer than ${COMMAND_MS / 1000} s.`)),
				COMMAND_MS
			);
			const over = () => {
				clearTimeout(deadline);
				clearTimeout(this.#settle);
				clearTimeout(this.#silent);
				this.#waiting = null;
			};
			const fail = (error: Error) => {
				over();
				reject(error);
				// Whatever it does now, nobody would understand it
				this.#channel.close();
			};
			this.#waiting = {
				resolve: (printed) => {
					over();
					resolve(cleanText(printed));
				},
				reject: fail
			};
			this.#what = what;
			this.#listen();
			begin();
		});
	}

	/** Begins to wait for the next sound. */
	#listen(): void {
		clearTimeout(this.#silent);
		this.#silent = setTimeout(() => {
			const tail = this.#shell.tail.trim().slice(0, LONGEST_SHOWN);
			this.#waiting?.reject(
				new Error(
					tail === ''
						? `${this.#what} was not answered within ${this.#rules.patience} s.`
						: `It waits at “${tail}”, and its pack knows neither such a prompt nor such a question.`
				)
			);
		}, this.#rules.patience * 1000);
	}

	#hear(text: string): void {
		clearTimeout(this.#settle);
		const heard = this.#shell.hear(text);
		if (!this.#waiting) return;
		this.#listen();
		this.#do(heard);
	}

	#do(heard: Heard): void {
		switch (heard.kind) {
			case 'press':
				return void this.#channel.write(heard.keys);
			case 'done':
				return this.#waiting!.resolve(heard.printed);
			case 'perhaps':
				this.#settle = setTimeout(() => this.#waiting && this.#do(this.#shell.settle()), SETTLE_MS);
				return;
			case 'unanswered':
				return this.#waiting!.reject(
					new Error(
						heard.wasGiven
							? `It did not take the password that it asked for with “${heard.asked.trim().slice(0, LONGEST_SHOWN)}”.`
							: `It asks “${heard.asked.trim().slice(0, LONGEST_SHOWN)}” to raise privileges, and no password for that is known: give the unit a login with one, or the field that its pack names a value.`
					)
				);
			case 'refused':
				return this.#waiting!.reject(new Error('It printed more than 1 MB.'));
		}
	}

	#close(error: Error): void {
		this.#closed ??= error;
		this.#waiting?.reject(error);
	}
}
