import { setImmediate as thisTurnsEnd } from 'node:timers/promises';
import type { Client } from 'ssh2';
import type { ErrandKind } from '../../../../core/errand';
import {
	cannotBeAsked,
	errorIn,
	filled,
	flashWordsOf,
	readAnswer,
	type Answer,
	type Ask,
	type FlashRule,
	type FlashStep,
	wordsOf,
	type Parameter,
	type SendRule,
	type SendStep,
	type Sent,
	type Talk,
	type ToldImage
} from '../../../../core/pack';
import type { Groups } from '../../../../core/pattern';
import { maskSecrets } from '../../../../core/profile';
import { counted } from '../../../../core/text';
import { database, timeNow } from '../../database';
import { offMainThread, task } from '../../threads';
import { SMALL } from './channel';
import { run } from './exec';
import { NetconfConsole } from './netconf';
import { ShellConsole } from './shell';

/** What is kept whole of what an errand brought back. */
export type ReadingKind = 'configuration' | 'saved' | 'answer';

export interface Line {
	/** Milliseconds since the epoch. */
	readonly at: number;
	readonly speaker: 'limen' | 'unit' | 'note';
	readonly words: string;
	/** In octets, of what was really said. */
	readonly bytes: number;
	/** Kept whole as a reading; `words` then says only what it is. */
	readonly reading?: { readonly kind: ReadingKind; readonly content: string };
}

interface Asking {
	/** What it prints is kept as such a reading. */
	readonly keep?: ReadingKind;
	/** Given to the command over its standard input. */
	readonly input?: string | null;
	/** As it stands in the dialogue, when that is not what is said. */
	readonly shown?: string;
	/** What must not stand in the dialogue of what it answers. */
	readonly hidden?: (words: string) => string;
}

/** Of a long command its first line names it. */
const brief = (command: string): string => command.split('\n', 1)[0]!.slice(0, 200);

/** The connection broke: whatever was asked, nothing is known of the answer. */
export class ConnectionBroke extends Error {}

const READ_ANSWER = task<Parameters<typeof readAnswer>, Answer>('readAnswer');
const ERROR_IN = task<Parameters<typeof errorIn>, string | null>('errorIn');
const BROKE = 'The connection broke before the answer was whole.';
/** ssh2’s words when the other end has hung up, which come before its connection says that it is closed. */
const HUNG_UP = 'Not connected';

/** Of one answer no more stands in the dialogue; a reading keeps the whole. */
const MOST_WORDS = 16 * 1024;

/** Over which something is said. */
export interface Over {
	readonly client: Client;
	/** Whether it is still the connection that counts. */
	readonly isThere: () => boolean;
}

/** What is said to a unit in one errand and what it answers, line by line; secrets are masked as it is written. */
export class Dialogue {
	readonly lines: Line[] = [];
	readonly #over: Over;
	readonly #talk: Talk;
	readonly #secret: () => Promise<string | null>;
	/** Opened with the first word, and left at the end. */
	#console: Promise<ShellConsole | NetconfConsole> | null = null;

	/** `talk`: how the unit's pack says to talk to it; `secret`: what raises privileges on its command line. */
	constructor(over: Over, talk: Talk, secret: () => Promise<string | null>) {
		this.#over = over;
		this.#talk = talk;
		this.#secret = secret;
	}

	/** Says what a pack has words for, and returns what was printed last, whatever it means; kept when it is a reading. */
	async saying(
		wanted: Ask,
		about: Readonly<Partial<Record<Parameter, string>>> = {},
		keep?: ReadingKind
	): Promise<string> {
		let printed = '';
		const lines = this.#talk.asks[wanted]?.say;
		if (!lines) throw new Error(cannotBeAsked(wanted));
		for (const [index, line] of lines.entries()) {
			const command = filled(line, about);
			if (command === null) throw new Error('What is asked about is no address.');
			printed = await this.ask(command, index === lines.length - 1 && keep ? { keep } : {});
		}
		return printed;
	}

	/**
	 * Asks what a pack has words for, and reads the answer by its rule: a row of values, or many. Rejects, and notes it,
	 * as `ask` does; and when the pack has no words for it or the answer cannot be read by its rule.
	 */
	async read(
		wanted: Ask,
		about: Readonly<Partial<Record<Parameter, string>>> = {},
		keep?: ReadingKind
	): Promise<{ readonly text: string; readonly rows: readonly Groups[] }> {
		const printed = await this.saying(wanted, about, keep);
		const answer =
			printed.length <= SMALL
				? readAnswer(this.#talk, wanted, printed)
				: await offMainThread(READ_ANSWER, [this.#talk, wanted, printed]);
		if (answer.ok) return answer;
		this.note(answer.problem);
		throw new Error(answer.problem);
	}

	/** Whether the unit's pack says how it is asked something. */
	knows = (ask: Ask): boolean => this.#talk.asks[ask] !== undefined;

	/** How the unit's pack says that a configuration is sent; null when it says nothing of it. */
	get sending(): SendRule | null {
		return this.#talk.send ?? null;
	}

	/** Says what a step of a send needs. `hidden`: what must not stand in the dialogue. Rejects as `ask` does, at the first that is refused. */
	async change(step: SendStep, given: Sent, hidden: (words: string) => string): Promise<void> {
		for (const { say, input, shown } of this.sending ? wordsOf(this.sending, step, given) : [])
			await this.ask(say, { input, shown: hidden(shown), hidden });
	}

	/** How the unit's pack says that its firmware is changed; null when it says nothing of it. */
	get flashing(): FlashRule | null {
		return this.#talk.flash ?? null;
	}

	/** Says what a step of a flash needs. Rejects as `ask` does, at the first that is refused. */
	async flash(step: FlashStep, image: ToldImage): Promise<void> {
		const hidden = (words: string) => words.replaceAll(image.address, image.address.split('?')[0]!);
		for (const { say, input, shown } of this.flashing ? flashWordsOf(this.flashing, step, image) : [])
			await this.ask(say, { input, shown, hidden });
	}

	/** Says what makes the unit start with what it runs. Rejects when its pack has no words for that, or it refuses. */
	async save(): Promise<void> {
		if (!this.#talk.save)
			throw new Error('A unit of this model keeps nothing apart that it would start with.');
		for (const command of this.#talk.save.say) await this.ask(command);
	}

	/** Says what restarts the unit; that it hangs up over it is as it should be. Rejects when its pack has no words for that, or it refuses. */
	async restart(): Promise<void> {
		if (!this.#talk.restart) throw new Error('A unit of this model cannot be told to restart.');
		for (const command of this.#talk.restart.say)
			await this.ask(command).catch((error: Error) => {
				if (!(error instanceof ConnectionBroke)) throw error;
			});
	}

	/**
	 * Asks one command and returns what the unit printed, which is kept as a reading when it is one. Rejects, and
	 * notes it, when it could not be asked; with ConnectionBroke when nobody knows.
	 */
	async ask(
		command: string,
		{ keep, input = null, shown = command, hidden = (words) => words }: Asking = {}
	): Promise<string> {
		this.#line('limen', shown);
		let printed: string;
		try {
			printed = await this.#say(command, input);
		} catch (error) {
			const { message } = error as Error;
			this.note(hidden(message));
			throw message === HUNG_UP || (await this.#broke()) ? new ConnectionBroke(message) : error;
		}
		// What came before it broke looks like an answer, and is half of one
		if (await this.#broke()) {
			this.note(BROKE);
			throw new ConnectionBroke(BROKE);
		}
		if (keep) this.#keep(printed, keep);
		else this.#line('unit', hidden(printed.trimEnd()));
		const error =
			printed.length <= SMALL
				? errorIn(this.#talk, printed)
				: await offMainThread(ERROR_IN, [this.#talk, printed]);
		if (error !== null) throw new Error(`“${brief(shown)}” was answered with an error: “${error}”.`);
		return printed;
	}

	/** Nothing more is said. */
	async end(): Promise<void> {
		await (await this.#console?.catch(() => null))?.leave();
	}

	async #say(command: string, input: string | null): Promise<string> {
		const { client } = this.#over;
		if (this.#talk.transport === 'exec') return run(client, command, input);
		this.#console ??=
			this.#talk.transport === 'shell'
				? this.#secret().then((secret) => ShellConsole.open(client, this.#talk.shell!, secret))
				: NetconfConsole.open(client);
		return (await this.#console).say(command);
	}

	/** A connection that broke says so only after what went over it. */
	async #broke(): Promise<boolean> {
		await thisTurnsEnd();
		return !this.#over.isThere();
	}

	/** Something that Limen has to say about it. */
	note(words: string): void {
		this.#line('note', words);
	}

	#keep(printed: string, kind: ReadingKind): void {
		this.lines.push({
			at: timeNow(),
			speaker: 'unit',
			words: `${kind === 'answer' ? 'An answer' : 'A configuration'} of ${counted(printed.trimEnd().split('\n').length, 'line')}.`,
			bytes: Buffer.byteLength(printed),
			reading: { kind, content: printed }
		});
	}

	#line(speaker: Line['speaker'], said: string): void {
		const masked = maskSecrets(said);
		const words =
			masked.length > MOST_WORDS
				? `${masked.slice(0, MOST_WORDS)}\n… and ${masked.length - MOST_WORDS} characters more`
				: masked;
		this.lines.push({ at: timeNow(), speaker, words, bytes: Buffer.byteLength(said) });
	}
}

export interface SaidLine {
	readonly id: string;
	readonly at: Date;
	readonly speaker: Line['speaker'];
	readonly words: string;
	readonly errandId: string;
	readonly readingId: string | null;
	/** What it was said for. */
	readonly errandKind: ErrandKind;
}

const PAGE = 200;

/** What was said to a unit and answered, newest first: a page of lines before `before`, of those that hold `text`. */
export const dialogueOf = (
	unitId: string,
	{ text = '', before = null, limit = PAGE }: { text?: string; before?: string | null; limit?: number } = {}
): Promise<SaidLine[]> => {
	const query = database()('dialogue')
		.join('errand', 'errand.id', 'errand_id')
		.where('dialogue.unit_id', unitId)
		.orderBy('dialogue.id', 'desc')
		.limit(limit)
		.select(
			'dialogue.id',
			'at',
			'speaker',
			'dialogue.words',
			'errand_id as errandId',
			'reading_id as readingId',
			'errand.kind as errandKind'
		);
	if (text !== '') query.whereRaw('strpos(lower(dialogue.words), lower(?)) > 0', [text]);
	if (before !== null) query.where('dialogue.id', '<', before);
	return query;
};

/** How much of a unit's dialogue is kept, and how much of it came on each of the last days. */
export async function dialogueSize(
	unitId: string
): Promise<{ readonly bytes: number; readonly lines: number; readonly today: number }> {
	const { rows } = await database().raw(
		`select coalesce(sum(bytes), 0)::float8 as bytes, count(*)::int as lines,
			coalesce(sum(bytes) filter (where at > now() - interval '1 day'), 0)::float8 as today from dialogue where unit_id = ?`,
		[unitId]
	);
	return rows[0];
}
