import { LONGEST_EVENT } from './syslog';

/**
 * Takes messages out of a stream (RFC 6587, and RFC 5425 for TLS): with their length before them, or each ended by a
 * line feed, whichever each message begins like. Keeps no more than one message; the tail of one that is too long is
 * passed over.
 */
export class FrameReader {
	private kept = new Uint8Array(0);
	/** Octets of a message that is too long and are still to come; null: up to the next line feed. */
	private skip: number | null = 0;

	/** Law: however a stream is cut into pieces, the messages are the same. */
	push(piece: Uint8Array): Uint8Array[] {
		let rest = joined(this.kept, piece);
		const frames: Uint8Array[] = [];
		for (;;) {
			const passed = this.pass(rest);
			if (passed === null) return this.keep(new Uint8Array(0), frames);
			rest = passed;
			const next = nextFrame(rest);
			if (next === null) return this.keep(rest, frames);
			if (next.frame.length > 0) frames.push(next.frame);
			this.skip = next.skip;
			rest = rest.subarray(next.taken);
		}
	}

	private keep(rest: Uint8Array, frames: Uint8Array[]): Uint8Array[] {
		// A copy: what it was a part of can be let go
		this.kept = rest.slice();
		return frames;
	}

	/** Passes over what is left of a message that was too long; null when it is not over yet. */
	private pass(rest: Uint8Array): Uint8Array | null {
		if (this.skip === null) {
			const end = rest.indexOf(LINE_FEED);
			if (end < 0) return null;
			this.skip = 0;
			return rest.subarray(end + 1);
		}
		const passed = Math.min(this.skip, rest.length);
		this.skip -= passed;
		return this.skip > 0 ? null : rest.subarray(passed);
	}
}

const LINE_FEED = 0x0a;
const SPACE = 0x20;
const isDigit = (octet: number): boolean => octet >= 0x30 && octet <= 0x39;
/** A length has no more digits than this; what looks longer is no length. */
const MOST_DIGITS = 10;

interface Next {
	readonly frame: Uint8Array;
	readonly taken: number;
	readonly skip: number | null;
}

/** The first message of what has come; null when it is not complete. */
function nextFrame(octets: Uint8Array): Next | null {
	if (octets.length === 0) return null;
	let digits = 0;
	while (digits < octets.length && digits <= MOST_DIGITS && isDigit(octets[digits]!)) digits++;
	if (digits > 0 && digits <= MOST_DIGITS && octets[0] !== 0x30) {
		if (digits === octets.length) return null;
		if (octets[digits] === SPACE) return counted(octets, digits);
	}
	const end = octets.subarray(0, LONGEST_EVENT + 1).indexOf(LINE_FEED);
	if (end >= 0) return { frame: withoutReturn(octets.subarray(0, end)), taken: end + 1, skip: 0 };
	if (octets.length <= LONGEST_EVENT) return null;
	return { frame: octets.slice(0, LONGEST_EVENT), taken: LONGEST_EVENT, skip: null };
}

function counted(octets: Uint8Array, digits: number): Next | null {
	const length = Number(new TextDecoder().decode(octets.subarray(0, digits)));
	const start = digits + 1;
	const wanted = Math.min(length, LONGEST_EVENT);
	if (octets.length < start + wanted) return null;
	return { frame: octets.slice(start, start + wanted), taken: start + wanted, skip: length - wanted };
}

const withoutReturn = (line: Uint8Array): Uint8Array =>
	line.at(-1) === 0x0d ? line.slice(0, -1) : line.slice();

function joined(one: Uint8Array, other: Uint8Array): Uint8Array {
	if (one.length === 0) return other;
	const both = new Uint8Array(one.length + other.length);
	both.set(one);
	both.set(other, one.length);
	return both;
}
