/**
 * What a terminal (ECMA-48) would show of what a device prints, as lines of text: control sequences are obeyed as far
 * as they move inside a line or erase in it, and dropped otherwise. Takes time in proportion to what is written; a line
 * is never longer than LONGEST_LINE, and what comes after is dropped.
 */
const LONGEST_LINE = 64 * 1024;
const LONGEST_SEQUENCE = 256;
/** No screen is wider: beyond, nothing is moved to, erased or taken out, so that no sequence costs more than that. */
const WIDEST = 1024;
const ESCAPE = '\u001b';

/**
 * `text`: outside any sequence. `escape`: after ESC. `one`: one more sign belongs to it. `control`: inside ESC [.
 * `string`: inside a title or the like, until its end.
 */
type State = 'text' | 'escape' | 'one' | 'control' | 'string';

export class Screen {
	/** Lines that have ended since they were last taken. */
	#ended: string[] = [];
	#line: string[] = [];
	#column = 0;
	#state: State = 'text';
	#sequence = '';

	/** The line in which the cursor stands, up to its end. */
	get tail(): string {
		return this.#line.join('');
	}

	/** How long that line is; costs nothing. */
	get tailLength(): number {
		return this.#line.length;
	}

	/** The lines that have ended since this was last asked. */
	take(): string[] {
		const lines = this.#ended;
		this.#ended = [];
		return lines;
	}

	/** Forgets the line in which the cursor stands. */
	wipe(): void {
		this.#line = [];
		this.#column = 0;
	}

	write(text: string): void {
		for (const sign of text) {
			if (this.#state === 'text') this.#show(sign);
			else this.#control(sign);
		}
	}

	#show(sign: string): void {
		switch (sign) {
			case ESCAPE:
				this.#state = 'escape';
				this.#sequence = '';
				return;
			case '\u009b':
				this.#state = 'control';
				this.#sequence = '';
				return;
			case '\n':
				this.#ended.push(this.tail.trimEnd());
				return this.wipe();
			case '\r':
				this.#column = 0;
				return;
			case '\b':
				this.#column = Math.max(0, this.#column - 1);
				return;
		}
		// Bells and the like show nothing; a tab stays a tab, for configurations have them
		if ((sign < ' ' && sign !== '\t') || sign === '\u007f' || this.#column >= LONGEST_LINE) return;
		// A column that was jumped over shows a blank
		while (this.#line.length < this.#column) this.#line.push(' ');
		this.#line[this.#column++] = sign;
	}

	#control(sign: string): void {
		if (this.#state === 'escape') {
			this.#state =
				sign === '['
					? 'control'
					: ']PX^_'.includes(sign)
						? 'string'
						: '()*+#% '.includes(sign)
							? 'one'
							: 'text';
			return;
		}
		if (this.#state === 'one') {
			this.#state = 'text';
			return;
		}
		this.#sequence += sign;
		const isOver =
			this.#state === 'string'
				? sign === '\u0007' || sign === '\u009c' || (sign === '\\' && this.#sequence.at(-2) === ESCAPE)
				: sign >= '@' && sign <= '~';
		if (!isOver && this.#sequence.length < LONGEST_SEQUENCE) return;
		if (isOver && this.#state === 'control') this.#obey();
		this.#state = 'text';
	}

	#obey(): void {
		const how = this.#sequence.at(-1);
		const count = Math.min(Number.parseInt(this.#sequence, 10) || 0, WIDEST);
		if (how === 'K' && count === 0) this.#line.length = Math.min(this.#line.length, this.#column);
		else if (this.#line.length > WIDEST) return;
		else if (how === 'K') this.#line.fill(' ', 0, count === 1 ? this.#column : undefined);
		else if (how === 'C') this.#column = Math.min(this.#column + Math.max(1, count), WIDEST);
		else if (how === 'D') this.#column = Math.max(0, this.#column - Math.max(1, count));
		else if (how === 'G') this.#column = Math.max(0, count - 1);
		else if (how === 'P') this.#line.splice(this.#column, Math.max(1, count));
	}
}
