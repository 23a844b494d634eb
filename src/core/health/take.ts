import { saysYes } from '../pack';
import { figureKind, keyOf, type Figure, type Figures } from './figures';

type Row = Readonly<Record<string, string>>;

/** What a unit was asked and answered, by the names that its pack reads out; a question that it has no words for is absent. */
export interface Answers {
	/** When, in milliseconds, by Limen's clock: a unit's own may be wrong by years. */
	readonly at: number;
	/** How long it took to answer, in milliseconds. */
	readonly trip: number | null;
	readonly health?: Row | undefined;
	readonly ports?: readonly Row[] | undefined;
	readonly tunnels?: readonly Row[] | undefined;
}

/** What has to be remembered to tell how much a counter has moved. */
export interface Counted {
	readonly at: number;
	/** In seconds; null where the unit does not say it. */
	readonly uptime: number | null;
	/** By key, as the unit counts: octets, or errors. */
	readonly counters: Readonly<Record<string, number>>;
}

/** Between two answers further apart than this nothing is known: a gap, not a mean over it. In seconds. */
export const MOST_APART = 750;
/** Of how many ports and of how many tunnels a unit may say something. */
export const MOST_PARTS = 128;
const LONGEST_NAME = 60;
const BITS = 8;
const MEGA = 1_000_000;
const OF_HEALTH = ['processor', 'memory', 'temperature', 'signal', 'clients', 'uptime'] as const;
const OF_PORT = ['received', 'sent', 'errors'] as const;

/**
 * The figures that are in what a unit answered, and what to remember for its next answer. Laws: every figure is finite and
 * within its bounds; a rate needs two answers no more than MOST_APART apart; what is not known is absent, never zero.
 */
export function figuresOf(
	before: Counted | null,
	{ at, trip, health, ports, tunnels }: Answers
): { readonly figures: Figures; readonly counted: Counted } {
	const figures: Record<string, number> = {};
	const note = (figure: Figure, value: number | null, part?: string): void => {
		const { least, most } = figureKind(figure);
		if (value !== null && value >= least && value <= most) figures[keyOf(figure, part)] = rounded(value);
	};
	note('trip', trip);
	for (const figure of OF_HEALTH) note(figure, numberIn(health?.[figure]));
	const uptime = figures.uptime ?? null;
	const counters: Record<string, number> = {};
	const since = before && sinceThen(before, at, uptime);
	for (const row of named(ports, 'port')) {
		const part = row.port!;
		note('port', 'state' in row || 'speed' in row ? (saysYes(row.state) ? 100 : 0) : null, part);
		const speed = numberIn(row.speed);
		for (const figure of OF_PORT) {
			const count = numberIn(row[figure]);
			if (count === null || count < 0) continue;
			const key = keyOf(figure, part);
			counters[key] = count;
			const moved = since && moving(before!.counters[key], count, since);
			if (moved === null) continue;
			const perSecond = figure === 'errors' ? moved : moved * BITS;
			// What is faster than its port is no rate, but a counter that jumped
			if (figure === 'errors' || speed === null || speed <= 0 || perSecond <= speed * MEGA * TOLERANCE)
				note(figure, perSecond, part);
		}
	}
	for (const row of named(tunnels, 'tunnel')) note('tunnel', saysYes(row.state) ? 100 : 0, row.tunnel!);
	return { figures, counted: { at, uptime, counters } };
}

/** A port carries a little more than its speed for a moment: what was counted and when are not read at the same time. */
const TOLERANCE = 1.1;

/** The first of each name; a unit that names more parts than there can be has the others left out, and so has one whose name breaks lines. */
function named(rows: readonly Row[] | undefined, name: 'port' | 'tunnel'): readonly Row[] {
	const found = new Map<string, Row>();
	for (const row of rows ?? []) {
		const part = row[name];
		if (!part || part.length > LONGEST_NAME || /\p{Cc}/u.test(part) || found.has(part)) continue;
		found.set(part, row);
		if (found.size === MOST_PARTS) break;
	}
	return [...found.values()];
}

const numberIn = (text: string | undefined): number | null =>
	text !== undefined && /^\s*[+-]?\d{1,20}(?:\.\d{1,10})?\s*$/.test(text) ? Number(text) : null;
/** To six digits, and what is less than a billionth is none; through text, as `toPrecision` does it, it is a third of all that a reading costs. */
function rounded(value: number): number {
	if (Math.abs(value) < 1e-9) return 0;
	const places = 5 - Math.floor(Math.log10(Math.abs(value)));
	const scale = 10 ** Math.abs(places);
	return places >= 0 ? Math.round(value * scale) / scale : Math.round(value / scale) * scale;
}

/** How long it has been counting since the answer before, in seconds; `restarted`: from zero. */
interface Since {
	readonly seconds: number;
	readonly restarted: boolean;
}

function sinceThen(before: Counted, at: number, uptime: number | null): Since | null {
	const seconds = (at - before.at) / 1000;
	if (seconds <= 0 || seconds > MOST_APART) return null;
	const restarted =
		uptime !== null && (uptime < seconds || (before.uptime !== null && uptime < before.uptime));
	return restarted ? { seconds: Math.max(1, Math.min(seconds, uptime!)), restarted } : { seconds, restarted };
}

/** Counters of 32 bits are still made; one of 64 bits lives longer than its unit. */
const WRAP = 2 ** 32;

/**
 * How much a counter moved in a second; null where that is not known. A counter that went back without a restart has
 * wrapped at 32 bits when it was there before and has then moved less than half its range; else it was set back, and
 * nothing is known. One that wrapped more than once cannot be told from one that did not.
 */
function moving(before: number | undefined, now: number, { seconds, restarted }: Since): number | null {
	if (restarted) return now / seconds;
	if (before === undefined) return null;
	if (now >= before) return (now - before) / seconds;
	const wrapped = now + WRAP - before;
	return before < WRAP && wrapped < WRAP / 2 ? wrapped / seconds : null;
}
