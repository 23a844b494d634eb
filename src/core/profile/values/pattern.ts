/**
 * Patterns that people write for texts are tried by backtracking, which can take for ever on a text that
 * nearly fits. Only those are let in for which it cannot: no group is repeated that repeats, chooses or may
 * be empty inside itself, nothing looks around or back, and at most three repetitions have no end, so that a text of
 * n characters takes n³ steps at the most.
 */
const MOST_ENDLESS = 3;
/** A longer text does not fit any pattern. */
export const LONGEST_MATCHED = 300;
/** A repetition that goes further than this is as good as endless. */
const FEW = 20;

interface Group {
	/** Whether anything inside it can be matched in more than one way. */
	varies: boolean;
}

/** Whether a regular expression that is well-formed takes no time out of proportion. Linear in the pattern. */
export function isQuick(pattern: string): boolean {
	const groups: Group[] = [{ varies: false }];
	let closed: Group | null = null;
	let endless = 0;
	for (let at = 0; at < pattern.length; at++) {
		const mark = pattern[at]!;
		const before = closed;
		closed = null;
		if (mark === '\\') {
			if (/[1-9k]/.test(pattern[at + 1] ?? '')) return false;
			at++;
		} else if (mark === '[') {
			while (pattern[at] !== ']' && at < pattern.length) at += pattern[at] === '\\' ? 2 : 1;
		} else if (mark === '(') {
			if (pattern[at + 1] === '?' && pattern[at + 2] !== ':') return false;
			groups.push({ varies: false });
			if (pattern[at + 1] === '?') at += 2;
		} else if (mark === ')') {
			closed = groups.pop() ?? null;
			if (closed?.varies) groups.at(-1)!.varies = true;
		} else if (mark === '|') groups.at(-1)!.varies = true;
		else {
			const most = repetition(pattern, at);
			if (most === null) continue;
			if (before?.varies && most.times > 1) return false;
			if (most.times > LONGEST_MATCHED && most.times !== Infinity) return false;
			if (most.times > FEW && ++endless > MOST_ENDLESS) return false;
			if (!most.exact) groups.at(-1)!.varies = true;
			at = most.end - 1;
		}
	}
	return true;
}

/** How often at the most what stands before `at` is repeated, and where the mark for that ends; null for no such mark. */
function repetition(
	pattern: string,
	at: number
): { readonly times: number; readonly exact: boolean; readonly end: number } | null {
	const [whole, bare, from, to] = /^(?:([*+?])|\{(\d+)(,\d*)?\})\??/.exec(pattern.slice(at, at + 24)) ?? [];
	if (whole === undefined) return null;
	const times = bare
		? bare === '?'
			? 1
			: Infinity
		: to === undefined
			? Number(from)
			: to === ','
				? Infinity
				: Number(to.slice(1));
	return { times, exact: !bare && to === undefined, end: at + whole.length };
}
