import { patternOf, type Pattern } from '../pattern';
import { Screen } from './screen';

/** What a pack says of a command line; see the schema of packs. */
export interface ShellForm {
	readonly prompt: string;
	readonly more?: { readonly shows: string; readonly press: string } | undefined;
	readonly questions: readonly { readonly asks: string; readonly answer: string }[];
	readonly literal?: { readonly before: string; readonly keys: string } | undefined;
}

/**
 * What is to be done after something was heard.
 * - `press`: the device waits for keys, a pager or a question: type these
 * - `done`: it waits for the next line; `printed` is what it answered
 * - `perhaps`: the last line looks like a prompt, but not like the one before: when nothing else comes, it is one
 * - `wait`: it has not finished
 * - `refused`: it printed more than anything prints
 * - `unanswered`: it asks for a secret that is not known, or again for one that it was given
 */
export type Heard =
	| { readonly kind: 'press'; readonly keys: string; readonly why: string }
	| { readonly kind: 'done'; readonly printed: string }
	| { readonly kind: 'perhaps' | 'wait' | 'refused' }
	| { readonly kind: 'unanswered'; readonly asked: string; readonly wasGiven: boolean };

/** A secret that one command may be asked for, once: who asks again did not take it. Null when it is not known. */
export interface Secret {
	readonly asks: string;
	readonly answer: string | null;
}

/** No unit's configuration is longer; a hostile one could print for ever. In characters. */
const MOST_PRINTED = 1024 * 1024;
/** A device that asks more often than this goes round in a circle. */
const MOST_QUESTIONS = 20;
/** No prompt, pager or question is longer than that. */
const LONGEST_WAITING = 400;
/** Of what a device sends for one line, control sequences and all, no more is listened to. In characters. */
const MOST_HEARD = 4 * MOST_PRINTED;
const ENTER = '\r';

/**
 * A command line as it is used by somebody who looks at its prompt: one line at a time, and the next only after the
 * prompt. It is told what comes (`hear`) and says what to do; the clock and the connection are its user's.
 * A prompt is the last line, not ended, that the pattern fits as a whole.
 */
export class Shell {
	readonly #screen = new Screen();
	readonly #prompt: Pattern;
	readonly #more: Pattern | null;
	readonly #questions: readonly { readonly asks: Pattern; readonly answer: string }[];
	#printed: string[] = [];
	#length = 0;
	#heard = 0;
	#asked = 0;
	/** What was typed and has not been seen come back yet; null before the first prompt. */
	#typed: string | null = null;
	#secret: { readonly asks: Pattern; readonly answer: string | null; isGiven: boolean } | null = null;
	/** The prompt as it last stood there. */
	#last: string | null = null;

	constructor(readonly form: ShellForm) {
		this.#prompt = patternOf(form.prompt);
		this.#more = form.more ? patternOf(form.more.shows) : null;
		this.#questions = form.questions.map(({ asks, answer }) => ({ asks: patternOf(asks), answer }));
	}

	/** The last line as it stands: what the device waits with. */
	get tail(): string {
		return this.#screen.tail;
	}

	/** What to type for a command, with Enter; keys that mean something to the device are made to mean themselves. */
	type(command: string, secret: Secret | null = null): string {
		const { literal } = this.form;
		this.#secret = secret && { asks: patternOf(secret.asks), answer: secret.answer, isGiven: false };
		this.#printed = [];
		this.#length = 0;
		this.#heard = 0;
		this.#asked = 0;
		this.#typed = command;
		this.#screen.take();
		this.#screen.wipe();
		const keys = literal
			? [...command].map((sign) => (literal.keys.includes(sign) ? literal.before + sign : sign)).join('')
			: command;
		return keys + ENTER;
	}

	/** Takes what came. */
	hear(text: string): Heard {
		this.#heard += text.length;
		if (this.#heard > MOST_HEARD) return { kind: 'refused' };
		this.#screen.write(text);
		for (const line of this.#screen.take()) {
			this.#printed.push(line);
			this.#length += line.length + 1;
		}
		if (this.#length > MOST_PRINTED) return { kind: 'refused' };
		if (this.#screen.tailLength > LONGEST_WAITING) return { kind: 'wait' };
		const { tail } = this.#screen;
		if (tail.trim() === '') return { kind: 'wait' };
		if (this.#more?.isIn(tail)) {
			this.#screen.wipe();
			return { kind: 'press', keys: this.form.more!.press, why: 'more' };
		}
		if (this.#secret?.asks.isIn(tail)) {
			const { answer, isGiven } = this.#secret;
			if (answer === null || isGiven) return { kind: 'unanswered', asked: tail, wasGiven: isGiven };
			this.#secret.isGiven = true;
			this.#screen.wipe();
			return { kind: 'press', keys: answer + ENTER, why: tail };
		}
		const question = this.#questions.find(({ asks }) => asks.isIn(tail));
		if (question && ++this.#asked <= MOST_QUESTIONS) {
			this.#printed.push(tail);
			this.#screen.wipe();
			return { kind: 'press', keys: question.answer + ENTER, why: tail };
		}
		if (!this.#prompt.fits(tail) && !this.#prompt.fits(tail.trimEnd())) return { kind: 'wait' };
		// A line that came in pieces can look like a prompt for a moment: only the one that stood there before is sure
		const isSeen = this.#typed === null || this.#echo() >= 0;
		return tail === this.#last && isSeen ? this.settle() : { kind: 'perhaps' };
	}

	/** The last line is the prompt: what was printed before it is the answer. */
	settle(): Heard {
		this.#last = this.#screen.tail;
		return { kind: 'done', printed: this.#answer() };
	}

	/** The line in which what was typed came back; -1 when in none. */
	#echo(): number {
		const typed = this.#typed?.trim();
		return typed ? this.#printed.findIndex((line) => line.trimEnd().endsWith(typed)) : -1;
	}

	/** Without the echo; and what was printed before it was printed by itself, and answers nothing. */
	#answer(): string {
		const lines = this.#printed.slice(this.#echo() + 1);
		return lines.length === 0 ? '' : `${lines.join('\n')}\n`;
	}
}

/** Whether it waits for somebody: with what may be its prompt, at its pager, or with a question that is known. */
export const waits = ({ kind }: Heard): boolean => kind === 'press' || kind === 'done' || kind === 'perhaps';

/** Whether what a command line shows by itself, before anything was typed, is what such a one shows. */
export const isGreeting = (form: ShellForm, text: string): boolean => waits(new Shell(form).hear(text));
