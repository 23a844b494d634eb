import type { Verdict } from '$core/intake';

/** What came of a row, in words and with a mark; also of what a registry has been asked for. */
export type ShownVerdict = Verdict | 'asked' | 'registry-refused';

export const VERDICT_WORDS: Readonly<Record<ShownVerdict, string>> = {
	claimed: 'claimed',
	'already-ours': 'already ours',
	repeated: 'twice in this list',
	refused: 'refused',
	malformed: 'not readable',
	'unknown-model': 'unknown model',
	asked: 'the registry is asked',
	'registry-refused': 'refused by the registry'
};
export const MARKS: Readonly<Record<ShownVerdict, string>> = {
	claimed: '✓',
	'already-ours': '=',
	repeated: '=',
	refused: '✕',
	malformed: '✕',
	'unknown-model': '✕',
	asked: '…',
	'registry-refused': '✕'
};
