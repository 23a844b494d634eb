import type { IntakeRow } from './rows';

/** What became of a row. `claimed` and `already-ours` are good; the others come back to be fixed. */
export const VERDICTS = [
	'claimed',
	'already-ours',
	'repeated',
	'refused',
	'malformed',
	'unknown-model'
] as const;
export type Verdict = (typeof VERDICTS)[number];

/** What comes back to be mended. */
export const isBad = (verdict: Verdict): boolean =>
	verdict === 'malformed' || verdict === 'refused' || verdict === 'unknown-model';

export interface JudgedRow extends IntakeRow {
	readonly verdict: Verdict;
	readonly reason: string;
}

/** What is known of a serial (within its maker) or of a MAC address that is already taken. */
export interface KnownUnit {
	readonly serial: string;
	readonly makerId: string;
	readonly mac: string | null;
	readonly ours: boolean;
}

/**
 * Gives every row its verdict, in order, from what is already known. `makerOf` names a model's maker.
 * Says nothing of another customer's unit but that it is taken.
 * Laws: as many verdicts as rows; at most one row per maker and serial is `claimed`, the first good one;
 * judging the same rows again once they are known claims nothing.
 */
export function judgeRows(
	rows: readonly IntakeRow[],
	known: readonly KnownUnit[],
	makerOf: (modelId: string) => string
): JudgedRow[] {
	const bySerial = new Map(known.map((unit) => [`${unit.makerId} ${unit.serial}`, unit]));
	const serialOfMac = new Map(known.flatMap((unit) => (unit.mac ? [[unit.mac, unit.serial] as const] : [])));
	const lineOf = new Map<string, number>();
	return rows.map((row) => {
		if (row.problems.length > 0 || row.modelId === null)
			return {
				...row,
				verdict: row.isUnknownModel ? 'unknown-model' : 'malformed',
				reason: row.problems.join(' ')
			};
		const key = `${makerOf(row.modelId)} ${row.serial}`;
		const earlier = lineOf.get(key);
		if (earlier !== undefined)
			return { ...row, verdict: 'repeated', reason: `The same serial number is on line ${earlier}.` };
		const unit = bySerial.get(key);
		if (unit && !unit.ours)
			return { ...row, verdict: 'refused', reason: 'This unit belongs to another account.' };
		if (unit) {
			lineOf.set(key, row.line);
			return { ...row, verdict: 'already-ours', reason: 'Claimed before; nothing was changed.' };
		}
		if (row.mac !== null && serialOfMac.has(row.mac))
			return { ...row, verdict: 'refused', reason: 'Another unit has this MAC address.' };
		lineOf.set(key, row.line);
		if (row.mac !== null) serialOfMac.set(row.mac, row.serial);
		return { ...row, verdict: 'claimed', reason: '' };
	});
}

/** What came of a row by now: its verdict, or what its maker's registry has said since. The database says which (view batch_line). */
export type ShownVerdict = Verdict | 'asked' | 'registry-refused';

/** How many rows of a batch have come to what. Law: they add up to the batch's rows. */
export type BatchCounts = Readonly<Record<ShownVerdict, number>>;
export const NO_ROWS: BatchCounts = {
	claimed: 0,
	asked: 0,
	'registry-refused': 0,
	'already-ours': 0,
	repeated: 0,
	refused: 0,
	malformed: 0,
	'unknown-model': 0
};
export const rowsIn = (counts: BatchCounts): number =>
	Object.values(counts).reduce((sum, count) => sum + count, 0);
/** Rows that somebody has to look at. */
export const toMendIn = (counts: BatchCounts): number =>
	counts.malformed + counts.refused + counts['unknown-model'] + counts['registry-refused'];
/** What comes back to be mended, also by now. */
export const needsMending = (verdict: ShownVerdict): boolean =>
	verdict === 'registry-refused' || (verdict !== 'asked' && isBad(verdict));

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
