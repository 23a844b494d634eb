/**
 * NETCONF's two framings over SSH (RFC 6242): messages that end with `]]>]]>`, which both sides begin with, and
 * chunks, once both have named base:1.1. Octets in, whole messages out; in whatever pieces they come, in time in
 * proportion to them.
 */
export class FramingProblem extends Error {}

/** No unit's configuration is longer; a hostile one could send for ever. In octets. */
export const LONGEST_MESSAGE = 1024 * 1024;
const END = ']]>]]>';
/** RFC 6242 section 4.2: a chunk has at most 4294967295 octets, which are ten digits. */
const LONGEST_HEAD = '\n#4294967295\n'.length;

export class Framing {
	#isChunked = false;
	/** What has come and was not looked at yet, as one octet a character. */
	#rest = '';
	/** The beginning of the message that is coming, and its length. */
	#pieces: string[] = [];
	#length = 0;
	/** What is left of the chunk that is coming. */
	#chunk = 0;

	/** From the next message on chunks. */
	useChunks(): void {
		this.#isChunked = true;
	}

	/** The messages that are whole with these octets. Throws FramingProblem on what is no framing, or too long. */
	push(octets: Uint8Array): string[] {
		this.#rest += latin1(octets);
		const messages: string[] = [];
		for (let more = true; more;) {
			const message = this.#isChunked ? this.#nextOfChunks() : this.#nextByEnd();
			if (message === null) more = false;
			else messages.push(message);
		}
		return messages;
	}

	#nextByEnd(): string | null {
		const at = this.#rest.indexOf(END);
		if (at >= 0) {
			const message = this.#pieces.join('') + this.#rest.slice(0, at);
			this.#rest = this.#rest.slice(at + END.length);
			this.#pieces = [];
			this.#length = 0;
			return utf8(message);
		}
		// The end may have come by half
		const whole = Math.max(0, this.#rest.length - END.length + 1);
		this.#pieces.push(this.#rest.slice(0, whole));
		this.#rest = this.#rest.slice(whole);
		this.#length += whole;
		if (this.#length + this.#rest.length > LONGEST_MESSAGE)
			throw new FramingProblem('It sent a message longer than 1 MB.');
		return null;
	}

	#nextOfChunks(): string | null {
		let at = 0;
		const keep = () => {
			this.#rest = this.#rest.slice(at);
			return null;
		};
		for (;;) {
			if (this.#chunk > 0) {
				const piece = this.#rest.slice(at, at + this.#chunk);
				this.#pieces.push(piece);
				this.#chunk -= piece.length;
				at += piece.length;
				if (this.#chunk > 0) return keep();
			}
			if (this.#rest.length === at) return keep();
			const head = /^\n#(?:([1-9]\d{0,9})|(#))\n/.exec(this.#rest.slice(at, at + LONGEST_HEAD));
			if (!head) {
				if (this.#rest.length - at < LONGEST_HEAD && isBeginning(this.#rest.slice(at))) return keep();
				throw new FramingProblem('What it sent is no chunk (RFC 6242): its framing is broken.');
			}
			at += head[0].length;
			if (head[1] !== undefined) {
				this.#chunk = Number(head[1]);
				this.#length += this.#chunk;
				if (this.#length > LONGEST_MESSAGE) throw new FramingProblem('It sent a message longer than 1 MB.');
				continue;
			}
			if (this.#pieces.length === 0) throw new FramingProblem('It ended a message without a chunk.');
			const message = this.#pieces.join('');
			this.#pieces = [];
			this.#length = 0;
			keep();
			return utf8(message);
		}
	}

	/** A message as it is sent. */
	encode(message: string): Uint8Array {
		const octets = new TextEncoder().encode(message);
		return this.#isChunked
			? joined(ascii(`\n#${octets.length}\n`), octets, ascii('\n##\n'))
			: joined(octets, ascii(END));
	}
}

/** Whether a text can still become the head of a chunk, or the end of the chunks. */
const isBeginning = (text: string): boolean => /^(?:\n(?:#(?:[1-9]\d{0,9}|#)?)?)?$/.test(text);

const ascii = (text: string): Uint8Array => new TextEncoder().encode(text);
function joined(...parts: readonly Uint8Array[]): Uint8Array {
	const whole = new Uint8Array(parts.reduce((length, part) => length + part.length, 0));
	let at = 0;
	for (const part of parts) {
		whole.set(part, at);
		at += part.length;
	}
	return whole;
}
const STEP = 8192;
function latin1(octets: Uint8Array): string {
	let text = '';
	for (let at = 0; at < octets.length; at += STEP)
		text += String.fromCharCode(...octets.subarray(at, at + STEP));
	return text;
}
const utf8 = (text: string): string =>
	new TextDecoder().decode(Uint8Array.from(text, (sign) => sign.charCodeAt(0)));
