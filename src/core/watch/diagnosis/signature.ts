import type { Failure } from '../../onboarding';

/** The line behind a refused one, found through its origin. */
export interface LineBehind {
	/** Of the part's revision, or of the profile's revision where it stands in the profile's own text. */
	readonly revisionId: string;
	readonly line: number;
}

/** What makes two failures the same. `key` tells them apart, `words` is what is shown. */
export interface Signature {
	readonly key: string;
	readonly words: string;
}

const MOST_WORDS = 240;

/**
 * The signature of a failure: its step, its kind, the unit's words without its own names, addresses and numbers, and,
 * where a line was refused, the line behind it, so that the same line counts as the same wherever it landed. `names`: what
 * the unit is called by (serial number, position, site, host name). Takes time linear in the words. Laws: it does not
 * depend on letter case or white space; two units that differ in `names`, addresses and numbers alone have the same.
 */
export function signatureOf(
	failure: Failure,
	behind: LineBehind | null,
	names: readonly string[]
): Signature {
	const words = wordsWithout(failure.words, names);
	const at = behind ? `${behind.revisionId}:${behind.line}` : '';
	// A refused line is the same failure whatever the unit quotes of it
	const said = behind ? '' : words.toLowerCase();
	return { key: `${failure.step}|${failure.kind}|${at}|${said}`, words };
}

/** A unit that says ever new words does not fill the list: all that is past the bound is this. */
export const otherWords = ({ step, kind }: Failure): Signature => ({
	key: `${step}|${kind}||*`,
	words: 'other words'
});

/** In the order in which they are taken out: what holds others first. */
const PARTICULARS: readonly RegExp[] = [
	/\b[a-z][a-z0-9+.-]{1,20}:\/\/[^\s"'“”<>]+/gi,
	/\b(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2}\b/gi,
	/(?<![0-9a-f:.])(?:[0-9a-f]{0,4}:){2,7}[0-9a-f]{0,4}(?:\/\d{1,3})?(?![0-9a-f:.])/gi,
	/\b\d{1,3}(?:\.\d{1,3}){3}(?:\/\d{1,2})?\b/g,
	/\b(?=[0-9a-f]*\d)[0-9a-f]{6,64}\b…?/gi,
	/\d+(?:[.,]\d+)*/g
];
/** Stands for what was taken out. */
const GONE = '…';

function wordsWithout(text: string, names: readonly string[]): string {
	let left = text.slice(0, 4_000);
	for (const name of [...names].sort((a, b) => b.length - a.length))
		if (name.length >= 3) left = left.replaceAll(name, GONE);
	for (const particular of PARTICULARS) left = left.replace(particular, GONE);
	return left
		.replace(/\s+/g, ' ')
		.replace(/…(?:[ ,]?…)+/g, GONE)
		.trim()
		.slice(0, MOST_WORDS);
}

/** What somebody did between a failure and the next try: acts of the ledger that can have helped. */
export const HELPFUL = {
	'correct claim code': 'the claim code was corrected',
	'set values': 'values were set',
	'release profile': 'a new revision of the profile was released',
	'upload image': 'the image was uploaded again',
	send: 'it was sent what it should run',
	'restart unit': 'it was restarted',
	swap: 'it was swapped'
} as const;
export type HelpfulAct = keyof typeof HELPFUL;

/** What was tried after failures like one, and how often that helped. */
export interface WhatHelped {
	readonly acts: readonly string[];
	readonly tried: number;
	readonly helped: number;
}

/** The best first: what helped in the largest share, counted carefully where little was tried (Laplace's rule of succession). */
export const bestFirst = (tried: readonly WhatHelped[]): WhatHelped[] =>
	tried
		.filter(({ helped }) => helped > 0)
		.sort((a, b) => (b.helped + 1) / (b.tried + 2) - (a.helped + 1) / (a.tried + 2) || b.tried - a.tried);

/** `Let it try again: that helped 9 of 11.` Nothing is claimed beyond its counts. */
export function helpedWords({ acts, tried, helped }: WhatHelped): string {
	const done = acts.flatMap((act) => (act in HELPFUL ? [HELPFUL[act as HelpfulAct]] : []));
	const what =
		done.length === 0 ? 'It was let try again' : `${capital(done.join(', '))}, then it was let try again`;
	return `${what}: ${helped} of ${tried} came through.`;
}
const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** Present runs that failed in the same way. */
export interface FailureGroup {
	readonly id: string;
	readonly step: string;
	readonly words: string;
	readonly units: number;
	readonly sites: number;
	readonly customers: number;
	readonly since: Date;
	/** The line behind it, and where to mend it. */
	readonly line: {
		readonly number: number;
		readonly name: string;
		readonly revision: number;
		readonly partId: string | null;
		readonly profileId: string | null;
		readonly dialect: string;
	} | null;
	readonly helped: readonly WhatHelped[];
}
