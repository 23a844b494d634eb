import type { ShownVerdict } from '$core/intake';

/** A mark beside the words for what came of a row. */
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
