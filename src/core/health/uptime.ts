/** From when to when, in milliseconds; `from` is before `to`. */
export interface Span {
	readonly from: number;
	readonly to: number;
}
export interface Absence extends Span {
	/** What was being done to it when it went: a restart, a change of firmware; empty: nothing that Limen knows of. */
	readonly planned: string;
}

export interface Uptime {
	/** For how long it was to be there, in milliseconds, planned interruptions left out. */
	readonly expected: number;
	/** Of that, for how long it was not. */
	readonly away: number;
	/** For how long it was away as planned. */
	readonly planned: number;
	/** Of 100; null where it was not to be there at all. */
	readonly share: number | null;
	/** How often it went unplanned. */
	readonly times: number;
}

/**
 * For how much of a period a unit was there. `since`: when it came into service; what is before that, or after `now`, was
 * never expected. Planned absences are taken out of both sides. Laws: expected + planned is the period in service; share
 * is between 0 and 100; how absences are cut or overlap changes nothing but `times`.
 */
export function uptimeOf(period: Span, since: number, now: number, absences: readonly Absence[]): Uptime {
	const served = { from: Math.max(period.from, since), to: Math.min(period.to, now) };
	if (served.to <= served.from) return { expected: 0, away: 0, planned: 0, share: null, times: 0 };
	const within = (isPlanned: boolean) =>
		united(
			absences.filter(({ planned }) => (planned !== '') === isPlanned).flatMap((one) => clipped(one, served))
		);
	const planned = within(true);
	const unplanned = without(within(false), planned);
	const plannedTime = lengthOf(planned);
	const expected = served.to - served.from - plannedTime;
	const away = lengthOf(unplanned);
	return {
		expected,
		away,
		planned: plannedTime,
		share: expected === 0 ? null : (100 * (expected - away)) / expected,
		times: unplanned.length
	};
}

/**
 * When nobody of several was there, such as all units of a site, whose way out was down then: only what all absences have
 * in common, and planned only while that of each was.
 */
export function allAway(each: readonly (readonly Absence[])[]): Absence[] {
	const common = each
		.map((absences) => united(absences))
		.reduce((one, other) => both(one, other), each.length > 0 ? ALWAYS : []);
	const planned = each
		.map((absences) => {
			const surprising = united(absences.filter((one) => one.planned === ''));
			return without(united(absences.filter((one) => one.planned !== '')), surprising);
		})
		.reduce((one, other) => both(one, other), common);
	return [
		...without(common, planned).map((span) => ({ ...span, planned: '' })),
		...planned.map((span) => ({ ...span, planned: 'planned' }))
	];
}
const ALWAYS: readonly Span[] = [{ from: -Infinity, to: Infinity }];

export const lengthOf = (spans: readonly Span[]): number =>
	spans.reduce((sum, { from, to }) => sum + to - from, 0);

const clipped = ({ from, to }: Span, by: Span): Span[] => {
	const span = { from: Math.max(from, by.from), to: Math.min(to, by.to) };
	return span.from < span.to ? [span] : [];
};

/** In order, each apart from the next. */
export function united(spans: readonly Span[]): Span[] {
	const found: { from: number; to: number }[] = [];
	for (const { from, to } of [...spans].sort((one, other) => one.from - other.from)) {
		const last = found.at(-1);
		if (last && from <= last.to) last.to = Math.max(last.to, to);
		else if (from < to) found.push({ from, to });
	}
	return found;
}

/** What two rows of united spans have in common; linear in both. */
function both(one: readonly Span[], other: readonly Span[]): Span[] {
	const found: Span[] = [];
	for (let a = 0, b = 0; a < one.length && b < other.length;) {
		const from = Math.max(one[a]!.from, other[b]!.from);
		const to = Math.min(one[a]!.to, other[b]!.to);
		if (from < to) found.push({ from, to });
		if (one[a]!.to < other[b]!.to) a++;
		else b++;
	}
	return found;
}

/** What of united spans is in none of others; linear in both. */
function without(spans: readonly Span[], others: readonly Span[]): Span[] {
	const found: Span[] = [];
	let at = 0;
	for (const { from, to } of spans) {
		let begin = from;
		while (at < others.length && others[at]!.to <= from) at++;
		for (let next = at; next < others.length && others[next]!.from < to; next++) {
			const other = others[next]!;
			if (begin < other.from) found.push({ from: begin, to: other.from });
			begin = Math.max(begin, other.to);
		}
		if (begin < to) found.push({ from: begin, to });
	}
	return found;
}

/** The share as it is said; null where nothing was expected. Nothing that was away is all of it, and nothing less is. */
export const shareWords = ({ share, away }: Uptime): string | null =>
	share === null
		? null
		: away === 0
			? '100 %'
			: `${Math.min(99.99, Math.floor(share * 100) / 100).toFixed(2)} %`;
