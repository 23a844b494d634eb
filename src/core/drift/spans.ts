/** How a unit stood when what it runs was held against what it should run. */
export type DriftState = 'as intended' | 'differs' | 'unreadable';
export interface Look {
	/** Milliseconds since the epoch. */
	readonly at: number;
	readonly state: DriftState;
	readonly why: string;
	readonly findings: number;
}

/** For so long it stood so: as far as anybody looked, until somebody saw otherwise. */
export interface Span {
	readonly from: number;
	readonly to: number;
	readonly state: DriftState;
	/** The most places in which it differed within it. */
	readonly findings: number;
	/** Why it was looked at when that was seen first. */
	readonly why: string;
	/** So many times it was looked at. */
	readonly looks: number;
}

export interface Standing {
	readonly spans: readonly Span[];
	/** How much of the time looked at it was as intended, 0 to 1; null where nobody looked. */
	readonly share: number | null;
	readonly looks: number;
}

/**
 * When a unit was as intended, between two moments. `looks`: ascending, with the last one before `from`, which tells how
 * it stood then. Between two looks it counts as the earlier one saw it; before the first nothing is said. Laws: the spans
 * follow each other without a gap, no two neighbours are alike, and they end at `to`; a look more of the same state
 * changes no share.
 */
export function standingBetween(looks: readonly Look[], from: number, to: number): Standing {
	const spans: { -readonly [Key in keyof Span]: Span[Key] }[] = [];
	let count = 0;
	looks.forEach((look, index) => {
		const begins = Math.max(from, look.at);
		const ends = Math.min(to, looks[index + 1]?.at ?? to);
		const isInside = look.at >= from && look.at <= to;
		if (isInside) count++;
		if (ends <= begins) return;
		const last = spans.at(-1);
		if (last?.state === look.state) {
			last.to = ends;
			last.looks += isInside ? 1 : 0;
			last.findings = Math.max(last.findings, look.findings);
		} else
			spans.push({
				from: begins,
				to: ends,
				state: look.state,
				findings: look.findings,
				why: look.why,
				looks: isInside ? 1 : 0
			});
	});
	const lasted = (some: readonly Span[]) => some.reduce((sum, span) => sum + span.to - span.from, 0);
	const whole = lasted(spans);
	return {
		spans,
		share: whole === 0 ? null : lasted(spans.filter(({ state }) => state === 'as intended')) / whole,
		looks: count
	};
}

/** A share as people read it; never 100 % where a moment is missing. */
export const shareWords = (share: number | null): string =>
	share === null
		? 'not looked at'
		: share === 1
			? '100 %'
			: `${(Math.floor(share * 1000) / 10).toFixed(1)} %`;

/** Of several units: by the time that each was looked at, all the same. */
export const shareOfAll = (all: readonly Standing[]): number | null => {
	const known = all.flatMap(({ share }) => share ?? []);
	return known.length === 0 ? null : known.reduce((sum, share) => sum + share, 0) / known.length;
};
