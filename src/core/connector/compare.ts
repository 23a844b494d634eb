/**
 * What a source says now, held against what it said when it was last taken over, and against what stands here: so that
 * what somebody changed here is never overwritten unasked, and what changed on both sides is a conflict.
 */

/** A record as the source has it, each cell written as Limen would write it. */
export interface There {
	readonly key: string;
	readonly line: number;
	/** What people call it. */
	readonly name: string;
	readonly cells: Readonly<Record<string, string>>;
	readonly problems: readonly string[];
}
/** A thing as it stands here, with all of its cells. */
export interface Here {
	readonly id: string;
	/** By which the source's record is found that is not known yet, in lower case. */
	readonly name: string;
	readonly cells: Readonly<Record<string, string>>;
}
/** What is remembered of a record that was taken over: as which thing, and what it said then. */
export interface Remembered {
	readonly key: string;
	readonly thingId: string;
	readonly name: string;
	readonly base: Readonly<Record<string, string>>;
	/** It was gone already when the source was read last. */
	readonly isGone: boolean;
}

export const CONNECTOR_VERDICTS = ['new', 'changed', 'conflict', 'refused', 'gone', 'same'] as const;
export type ConnectorVerdict = (typeof CONNECTOR_VERDICTS)[number];
export const CONNECTOR_VERDICT_WORDS: Readonly<Record<ConnectorVerdict, string>> = {
	new: 'new',
	changed: 'changed there',
	conflict: 'changed on both sides',
	refused: 'refused',
	gone: 'gone there',
	same: 'the same'
};

export interface CellDifference {
	readonly what: string;
	/** As it was taken over last; null: it never was. */
	readonly before: string | null;
	readonly here: string;
	readonly there: string;
	readonly isConflict: boolean;
}
export interface ComparedRecord {
	readonly key: string;
	/** 0 for what the source has no more. */
	readonly line: number;
	readonly name: string;
	readonly verdict: ConnectorVerdict;
	readonly thingId: string | null;
	readonly problems: readonly string[];
	readonly differences: readonly CellDifference[];
	/** What is remembered once it is taken over: what the source says, but where there is a conflict. */
	readonly base: Readonly<Record<string, string>>;
}

/**
 * Laws: one answer for each record and for each remembered one that is missing; a source that was taken over whole, and
 * nothing changed since, is all `same`; a cell that the source left as it was is never a difference, whatever stands here; a
 * cell that changed there only is taken, one that changed on both sides to different texts is a conflict. A thing that stood
 * here before its record was known is no conflict where it says the same or nothing.
 */
export function compareRecords(
	there: readonly There[],
	here: readonly Here[],
	remembered: readonly Remembered[]
): readonly ComparedRecord[] {
	const byId = new Map(here.map((one) => [one.id, one]));
	const byName = new Map(here.map((one) => [one.name, one]));
	const known = new Map(remembered.map((one) => [one.key, one]));
	const owners = new Map(remembered.map((one) => [one.thingId, one.key]));
	const seen = new Set<string>();
	const compared = there.map((record) => {
		seen.add(record.key);
		return compareRecord(record, known.get(record.key), byId, byName, owners);
	});
	const gone = remembered
		.filter(({ key, thingId }) => !seen.has(key) && byId.has(thingId))
		.map(({ key, thingId, name, base }): ComparedRecord => ({
			...{ key, thingId, name, base, line: 0, verdict: 'gone', differences: [] },
			problems: ['The source no longer has it. Here it stays until somebody says otherwise.']
		}));
	return [...compared, ...gone];
}

function compareRecord(
	{ key, line, name, cells, problems }: There,
	known: Remembered | undefined,
	byId: ReadonlyMap<string, Here>,
	byName: ReadonlyMap<string, Here>,
	owners: ReadonlyMap<string, string>
): ComparedRecord {
	const stands = known ? byId.get(known.thingId) : byName.get(name.toLowerCase());
	const base = known?.base ?? {};
	const refused = (...words: string[]): ComparedRecord => ({
		...{ key, line, name, verdict: 'refused', differences: [], base },
		thingId: stands?.id ?? null,
		problems: [...problems, ...words]
	});
	if (problems.length > 0) return refused();
	if (known && !stands) return refused('It was removed here, and is not made again.');
	if (!stands)
		return { key, line, name, verdict: 'new', thingId: null, problems, differences: [], base: cells };
	const owner = owners.get(stands.id);
	if (!known && owner !== undefined) return refused(`It is “${owner}” of the same source already.`);
	const differences: CellDifference[] = [];
	const next: Record<string, string> = { ...base };
	for (const [what, now] of Object.entries(cells)) {
		const before = base[what] ?? null;
		const own = stands.cells[what] ?? '';
		const isTheirs = before !== now && own !== now;
		const isConflict = isTheirs && own !== (before ?? '');
		if (isTheirs) differences.push({ what, before, here: own, there: now, isConflict });
		if (!isConflict) next[what] = now;
	}
	const verdict = differences.some(({ isConflict }) => isConflict)
		? 'conflict'
		: differences.length > 0
			? 'changed'
			: 'same';
	return { key, line, name, verdict, thingId: stands.id, problems, differences, base: next };
}

/** How many there are of each. */
export const countVerdicts = (
	records: readonly { readonly verdict: ConnectorVerdict }[]
): Readonly<Record<ConnectorVerdict, number>> => {
	const counts = Object.fromEntries(CONNECTOR_VERDICTS.map((one) => [one, 0])) as Record<
		ConnectorVerdict,
		number
	>;
	for (const { verdict } of records) counts[verdict]++;
	return counts;
};

const FEW = 20;
/** So much missing at once is more likely a fault of the source: nothing is done of itself then. */
export const lostMuch = (gone: number, remembered: number): boolean => gone > FEW && gone * 2 > remembered;
