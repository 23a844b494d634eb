import type { Emitter } from 'liquidjs';
import { TooLarge } from './problems';

export const LARGEST_OUTPUT = 512 * 1024;

/** A line of output and where it came from. */
export interface OriginLine {
	readonly text: string;
	/** 1-based lines of the source text, in the order in which they gave to this line. */
	readonly sources: readonly number[];
	/** The fields whose values made it or decided that it is there. */
	readonly fields: readonly string[];
}

/** Where a piece of a text stands and what it depends on. */
export interface Mark {
	/** The source line of its first character. */
	readonly line: number;
	/** Plain text moves on in the source with each line break; a value does not. */
	readonly plain: boolean;
	fields: readonly string[];
}

/** Takes what is written apart into lines, each with where it came from. */
export class OriginEmitter implements Emitter {
	buffer = '';
	from: Mark = { line: 0, plain: true, fields: [] };
	readonly lines: OriginLine[] = [];
	#text = '';
	#sources: number[] = [];
	#marks: Mark[] = [];
	#size = 0;

	write(value: unknown): void {
		const text = written(value);
		if (text === '') return;
		this.#size += text.length;
		if (this.#size > LARGEST_OUTPUT) throw new TooLarge(tooLong(this.#size));
		let start = 0;
		let line = this.from.line;
		for (;;) {
			const end = text.indexOf('\n', start);
			if (end < 0) break;
			this.#add(text.slice(start, end), line);
			this.#close();
			start = end + 1;
			if (this.from.plain) line++;
		}
		if (start < text.length) this.#add(text.slice(start), line);
	}

	#add(text: string, line: number): void {
		// The line break that ends a line of values belongs to where the values stand
		if (text === '' && this.#sources.length > 0) return;
		this.#text += text;
		if (!this.#sources.includes(line)) this.#sources.push(line);
		if (!this.#marks.includes(this.from)) this.#marks.push(this.from);
	}

	#close(): void {
		this.lines.push({ text: this.#text, sources: this.#sources, fields: joinFields(this.#marks) });
		this.#text = '';
		this.#sources = [];
		this.#marks = [];
	}

	/** All lines; the last one too when no line break ends it. */
	end(): readonly OriginLine[] {
		if (this.#sources.length > 0) this.#close();
		return this.lines;
	}
}

const joinFields = (marks: readonly Mark[]): readonly string[] =>
	marks.length === 1 ? marks[0]!.fields : [...new Set(marks.flatMap(({ fields }) => fields))];

const written = (value: unknown): string =>
	typeof value === 'string'
		? value
		: value === null || value === undefined
			? ''
			: Array.isArray(value)
				? value.map(written).join('')
				: String(value);

const tooLong = (length: number) =>
	`The rendering has more than ${LARGEST_OUTPUT.toLocaleString('en')} characters (${length.toLocaleString('en')} so far).`;
